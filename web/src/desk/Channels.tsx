import type { Wait } from "../api/client";
import { Mark } from "../inspector/Mark";
import type { Program } from "./programs";
import { aligned } from "./waits";

interface Props {
  mains: readonly Program[];
  texts: Record<string, string>;
  waits: readonly Wait[];
  onGo: (program: string, line: number) => void;
}

/** The channels' programs side by side, wait marks on one line; an empty row is a channel that waits. */
export function Channels({ mains, texts, waits, onGo }: Props) {
  const rows = aligned(
    mains.map((program) => ({
      lines: texts[program.name].split("\n"),
      waits: waits.filter((wait) => wait.channel === program.channel && wait.program === program.name),
    })),
  );
  return (
    <div className="channels" data-testid="channels">
      <table>
        <thead>
          <tr>
            {mains.map((program) => (
              <th key={program.name}>
                channel {program.channel} · {program.name}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.map((row, i) => (
            <tr key={i} className={row.mark !== null ? "wait" : undefined}>
              {row.cells.map((cell, channel) => (
                <td key={channel} className={cell === null ? "waits" : undefined}>
                  {cell && (
                    <button onClick={() => onGo(mains[channel].name, cell.line)}>
                      <i>{cell.line}</i>
                      {row.mark !== null && row.alone && <Mark severity="stop" />} {cell.text}
                    </button>
                  )}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
