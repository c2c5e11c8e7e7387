import { Input } from "antd";
import { useState } from "react";

import type { Description } from "../replay/replay";

interface Props {
  description: Description;
  chosen: string[];
  onChoose: (bodies: string[]) => void;
}

/** Every pair of bodies that is watched for contact, by body; and the pairs that are meant to touch. */
export function Contacts({ description, chosen, onChoose }: Props) {
  const [wanted, setWanted] = useState("");
  const pairs = (description.contacts ?? []).filter((pair) => pair.some((name) => name.toLowerCase().includes(wanted.toLowerCase())));
  const groups = new Map<string, string[]>();
  for (const [a, b] of pairs) groups.set(a, [...(groups.get(a) ?? []), b]);
  const ignored = description.habits?.ignored ?? [];
  return (
    <>
      <Input size="small" allowClear value={wanted} placeholder="body" aria-label="Pairs with this body" onChange={(event) => setWanted(event.target.value)} />
      <dl className="contacts">
        {[...groups].map(([body, others]) => (
          <div key={body}>
            <dt>{body} against</dt>
            <dd>
              {others.map((other) => (
                <button key={other} className={chosen.includes(body) && chosen.includes(other) ? "chosen" : ""} onClick={() => onChoose([body, other])}>
                  {other}
                </button>
              ))}
            </dd>
          </div>
        ))}
      </dl>
      {!pairs.length && <p className="quiet">{wanted ? `No pair with ${wanted} is watched.` : "No two bodies of this machine can move against each other."}</p>}
      <h4>Meant to touch, not watched</h4>
      {ignored.length ? ignored.map(([a, b]) => <p key={`${a}/${b}`}>{`${a} and ${b}`}</p>) : <p className="quiet">None but neighbours that share a joint.</p>}
    </>
  );
}
