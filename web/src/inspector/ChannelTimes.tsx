import type { RehearsalFull } from "../api/client";
import { clock } from "../look";
import { longestChain, movable, overlap } from "../replay/chain";
import type { Replay } from "../replay/replay";

interface Props {
  rehearsal: RehearsalFull;
  replay: Replay;
  onTime: (time: number) => void;
}

const SHORT_S = 0.05; // a wait below this is not listed

/** What each channel does with its time, who waits for whom, and which work fixes the cycle. */
export function ChannelTimes({ rehearsal, replay, onTime }: Props) {
  const { lanes, seconds } = replay;
  const times = rehearsal.result?.channels ?? [];
  const { inTurn, used } = overlap(lanes, seconds);
  const chain = longestChain(lanes);
  const could = movable(lanes, replay.description, seconds);
  const waits = lanes
    .flatMap(({ channel, waits: own }) => own.map((wait) => ({ channel, ...wait, for: lanes.filter((other) => other.channel !== channel && other.waits.some((w) => w.mark === wait.mark && w.end === wait.end && w.end - w.begin < SHORT_S)).map((other) => other.channel) })))
    .filter((wait) => wait.end - wait.begin > SHORT_S)
    .sort((a, b) => b.end - b.begin - (a.end - a.begin));
  const timing = rehearsal.result?.checked.timing;
  return (
    <div className="padded" data-testid="channel-times">
      <ul className="rows tool-rows">
        {times.map((own) => (
          <li key={own.number} className="channel-time">
            <b className="channel">{own.number}</b>
            <span>
              <span className="bar">
                <i className="bar-cutting" style={{ flex: own.cutting }} />
                <i className="bar-rapid" style={{ flex: own.rapid }} />
                <i className="bar-change" style={{ flex: own.other }} />
                <i className="bar-wait" style={{ flex: own.waiting }} />
                <i style={{ flex: Math.max(0, seconds - own.time) }} />
              </span>
              <span className="quiet">
                feed {clock(own.cutting)} · rapid {clock(own.rapid)} · waits {clock(own.waiting)} · other {clock(own.other)}
              </span>
            </span>
          </li>
        ))}
      </ul>
      <p>
        One after the other {clock(inTurn)}, together {clock(seconds)}: {Math.round(100 * used)} % of what could run beside other work does.
      </p>
      <h4>What fixes the cycle</h4>
      <ul className="rows">
        {chain.map((link) => (
          <li key={link.begin}>
            <button onClick={() => onTime(link.begin)}>
              <b>{clock(link.end - link.begin)}</b>
              <span>
                channel {lanes[link.lane].channel}, {clock(link.begin)} to {clock(link.end)}
              </span>
            </button>
          </li>
        ))}
      </ul>
      {could.length > 0 && (
        <>
          <h4>Another channel has the time for</h4>
          <ul className="rows">
            {could.map(({ operation, seconds: took, from, to, stands, mark }) => (
              <li key={`${operation.time} ${to}`}>
                <button onClick={() => onTime(operation.time)}>
                  <b>{clock(took)}</b>
                  <span>
                    {replay.called(operation.tool)} {operation.comment.toLowerCase()} of channel {lanes[from].channel}: channel {lanes[to].channel} stands {clock(stands)}
                    {mark === null ? " after its end" : ` at M${mark}`}
                  </span>
                </button>
              </li>
            ))}
          </ul>
        </>
      )}
      <h4>Waits</h4>
      {!waits.length && <p className="quiet">No channel waits for another.</p>}
      <ul className="rows">
        {waits.map((wait) => (
          <li key={`${wait.channel} ${wait.begin}`}>
            <button onClick={() => onTime(wait.begin)}>
              <b>{clock(wait.end - wait.begin)}</b>
              <span>
                channel {wait.channel} at M{wait.mark}, line {wait.line}
                {wait.for.length > 0 && `, for channel ${wait.for.join(", ")}`}
              </span>
            </button>
          </li>
        ))}
      </ul>
      {timing && (
        <>
          <h4>Any timing</h4>
          <p className="quiet">
            Of {timing.pairs} pairs that different channels move, {timing.proved} cannot touch however late either channel is between two common marks
            {timing.unknown > 0 && `; of ${timing.unknown} it is not known`}.
          </p>
        </>
      )}
    </div>
  );
}
