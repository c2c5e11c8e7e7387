import type { Description } from "../replay/replay";

type Link = Description["links"][number];

/** The chain drawn as one: the bed at the bottom of the loop, the tool's side rising on the left, the work's on the right. */
export function ChainDrawing({ description, chosen, onChoose }: { description: Description; chosen: string | null; onChoose: (link: string) => void }) {
  const { links } = description;
  const of = (name: string) => links.find((link) => link.name === name)!;
  const pathTo = (name: string): Link[] => {
    const path: Link[] = [];
    for (let link: Link | undefined = of(name); link; link = link.parent ? of(link.parent) : undefined) path.unshift(link);
    return path;
  };
  const tool = pathTo(description.toolMount.link);
  const work = pathTo(description.workMount.link);
  let shared = 0;
  while (shared < tool.length && shared < work.length && tool[shared].name === work[shared].name) shared++;
  const base = tool.slice(0, shared);
  const left = tool.slice(shared);
  const right = work.slice(shared);
  const rest = links.filter((link) => ![...tool, ...work].includes(link));
  const rows = Math.max(left.length, right.length);
  const height = 54 * (rows + 1) + 44;
  const place = (side: "left" | "right", i: number) => ({ x: side === "left" ? 8 : 158, y: height - 54 * (i + 2) - 10 });
  const bed = { x: 83, y: height - 54 };
  const box = (link: Link, { x, y }: { x: number; y: number }, end?: string) => (
    <g key={link.name} className={chosen === link.name ? "chain-link chosen" : "chain-link"} onClick={() => onChoose(link.name)} role="button" tabIndex={0}>
      <rect x={x} y={y} width="120" height="26" rx="3" />
      <text x={x + 60} y={y + 17}>
        {link.name}
      </text>
      {end && (
        <text className="chain-end" x={x + 60} y={y - 8}>
          {end}
        </text>
      )}
    </g>
  );
  const joint = (link: Link, from: { x: number; y: number }, to: { x: number; y: number }) => {
    const x = to.x + 60;
    const top = to.y + 26;
    const bottom = from.y;
    const middle = (top + bottom) / 2;
    return (
      <g key={`${link.name} joint`} className="chain-joint">
        <path d={`M${from.x + 60} ${bottom} L${x} ${top}`} />
        {link.joint && (
          <>
            {link.joint.type === "rotary" ? <circle cx={(from.x + 60 + x) / 2} cy={middle} r="11" /> : <rect x={(from.x + 60 + x) / 2 - 11} y={middle - 11} width="22" height="22" />}
            <text x={(from.x + 60 + x) / 2} y={middle + 4}>
              {link.joint.axis}
            </text>
          </>
        )}
      </g>
    );
  };
  return (
    <div>
      <svg viewBox={`0 0 286 ${height}`} className="chain" role="img" aria-label="The machine's chain from tool to work">
        {left.map((link, i) => joint(link, i ? place("left", i - 1) : bed, place("left", i)))}
        {right.map((link, i) => joint(link, i ? place("right", i - 1) : bed, place("right", i)))}
        {box(base[base.length - 1] ?? links[0], bed, !left.length ? "tool" : !right.length ? "work" : undefined)}
        {left.map((link, i) => box(link, place("left", i), i === left.length - 1 ? "tool" : undefined))}
        {right.map((link, i) => box(link, place("right", i), i === right.length - 1 ? "work" : undefined))}
      </svg>
      <p className="quiet">Square: slides. Round: turns.{rest.length > 0 && ` Beside the chain: ${rest.map((link) => link.name).join(", ")}.`}</p>
    </div>
  );
}
