// What could be changed so that a finding goes: tried changes, each with its difference and what it costs.

import { Button, Checkbox, Spin } from "antd";

import type { Offer } from "../api/client";
import { ToolDrawing } from "../setup/ToolDrawing";
import { TRYING, type Mending } from "./useMending";

const MOST_LINES = 8;
const TOUCHES: Record<Offer["touches"], string> = { line: "program", register: "register", offset: "work offset", tool: "tool", fixture: "setup" };

/** What the change comes to, beside that the finding goes. */
export function costs(offer: Offer): string {
  const parts = [];
  if (offer.clear_by !== null) parts.push(`${offer.clear_by.toFixed(2)} mm clear`);
  if (Math.abs(offer.seconds) >= 0.05) parts.push(`${Math.abs(offer.seconds).toFixed(1)} s ${offer.seconds > 0 ? "longer" : "shorter"}`);
  return parts.join(" · ");
}

/** Which number of a table it is: of a place, along which axis. */
function named(path: (string | number)[]): string {
  const last = path[path.length - 1];
  const axis = typeof last === "number" ? ["XYZ"[last]] : [];
  return [...path.filter((part) => typeof part === "string").slice(1), ...axis].join(" ");
}

function Difference({ offer }: { offer: Offer }) {
  const { edits, values } = offer;
  const more = edits.length - MOST_LINES;
  return (
    <div className="difference">
      {edits.slice(0, MOST_LINES).map((edit, i) => (
        <div key={i} className="difference-line">
          <span className="quiet">{edit.line}</span>
          <code>
            {edit.old !== null && <del>{edit.old || " "}</del>}
            {edit.new !== null && <ins>{edit.new || " "}</ins>}
          </code>
        </div>
      ))}
      {more > 0 && <p className="quiet">and {more} more lines</p>}
      {edits.length === 0 &&
        values.map((value) => (
          <div key={value.path.join()} className="difference-line">
            <span className="quiet">{named(value.path)}</span>
            <code>
              {value.old !== null && <del>{+value.old.toFixed(4)}</del>}
              <ins>{+value.new.toFixed(4)}</ins>
            </code>
          </div>
        ))}
    </div>
  );
}

function Card({ offer, mending }: { offer: Offer; mending: Mending }) {
  const cost = costs(offer);
  const shown = mending.shown?.id === offer.id;
  const where = offer.edits.length ? "in the script" : offer.moved.length ? "on the stage" : "";
  return (
    <div className={`offer${offer.cures ? "" : " no-cure"}`} data-testid="offer">
      <div className="offer-head">
        <b>{offer.title}</b>
        <span className="quiet">{TOUCHES[offer.touches]}</span>
      </div>
      <Difference offer={offer} />
      {offer.tools.map((tool) => (
        <figure key={tool.number} className="offer-tool">
          <ToolDrawing number={tool.number} parts={tool.after} was={tool.before} />
          <figcaption className="quiet">
            T{tool.number} {tool.name}: as it would be, and dashed as it is
          </figcaption>
        </figure>
      ))}
      <p>
        {offer.cures ? "Tried: the finding goes" : "Tried: the finding goes, but the trouble moves"}
        {cost && ` · ${cost}`}
      </p>
      {offer.brings.map((item, i) => (
        <p key={i} className={item.severity === "stop" ? "failure" : "quiet"}>
          It brings: {item.message}
          {item.line > 0 && `, line ${item.line}`}
        </p>
      ))}
      {offer.uncovers.length > 0 && (
        <p className="quiet">
          What lies behind it comes to light: {[...new Set(offer.uncovers.map((item) => item.kind))].join(", ")}
        </p>
      )}
      <div className="offer-acts">
        {offer.cures && (
          <Button size="small" onClick={() => mending.onMake([offer.id])}>
            Make this change
          </Button>
        )}
        {where && (
          <Button size="small" type={shown ? "primary" : "default"} ghost={shown} aria-pressed={shown} title={`Drawn ${where}`} onClick={() => mending.onShow(offer, !shown)}>
            In place
          </Button>
        )}
        {offer.cures && (
          <Checkbox checked={mending.chosen.includes(offer.id)} onChange={(event) => mending.onChoose(offer, event.target.checked)}>
            with others
          </Checkbox>
        )}
      </div>
    </div>
  );
}

/** The offers of one finding; where none has been tried yet, the way to try. */
export function Offers({ finding, mending }: { finding: number; mending: Mending }) {
  const { search } = mending;
  const offers = search.offers.filter((offer) => offer.finding === finding);
  const busy = TRYING.includes(search.state);
  const looked = search.looked.includes(finding);
  const waiting = busy && !looked && search.wanted.includes(finding);
  return (
    <div className="offers">
      {offers.map((offer) => (
        <Card key={offer.id} offer={offer} mending={mending} />
      ))}
      {waiting && (
        <div className="quiet">
          <Spin size="small" /> Changes are being tried{offers.length > 0 && "; there may be more"}
        </div>
      )}
      {looked && !offers.length && <p className="quiet">No change that was tried clears this.</p>}
      {!looked && !waiting && (
        <Button size="small" onClick={() => mending.onTry(finding)}>
          What would clear this?
        </Button>
      )}
    </div>
  );
}

/** Over the docket: how far trying is, and the changes chosen to be made together. */
export function MendBar({ count, mending }: { count: number; mending: Mending }) {
  const { search, chosen } = mending;
  const busy = TRYING.includes(search.state);
  const left = search.wanted.filter((id) => !search.looked.includes(id)).length;
  return (
    <div className="mend-bar" role="group" aria-label="Changes">
      {busy ? (
        <>
          <Spin size="small" />
          <span className="grow">
            Trying changes: {search.wanted.length - left} of {search.wanted.length} findings
          </span>
          <Button size="small" type="text" onClick={mending.onStop}>
            Stop trying
          </Button>
        </>
      ) : chosen.length ? (
        <span className="grow">{chosen.length} chosen</span>
      ) : (
        <span className="grow quiet">{search.state === "done" && search.looked.length >= count ? `${new Set(search.offers.filter((o) => o.cures).map((o) => o.finding)).size} of ${count} findings have a change that clears them` : ""}</span>
      )}
      {chosen.length > 0 && (
        <Button size="small" type="primary" onClick={() => mending.onMake(chosen)}>
          {chosen.length === 1 ? "Make the change" : `Make ${chosen.length} changes`}
        </Button>
      )}
      {!busy && search.looked.length < count && (
        <Button size="small" onClick={() => mending.onTry(null)}>
          What would clear all?
        </Button>
      )}
      {search.error && <p className="failure">{search.error}</p>}
    </div>
  );
}
