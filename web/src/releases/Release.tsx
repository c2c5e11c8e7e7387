// The signature that a revision may run: given, shown, and withdrawn.

import { App, Button, Input, Modal, Popover } from "antd";
import { useState } from "react";
import { useQueryClient } from "@tanstack/react-query";

import { api, type Me, type RehearsalFull, type Release } from "../api/client";

const DAY = new Intl.DateTimeFormat("en-GB", { day: "numeric", month: "short", year: "numeric", hour: "2-digit", minute: "2-digit" });
export const MAY_RELEASE: Me["role"][] = ["releases", "administers"];

/** Whether a release stands, in a few words; by a sign and by a colour. */
export function ReleaseMark({ release }: { release: Release }) {
  return (
    <span className={`release-mark ${release.lapsed ? "lapsed" : "stands"}`} title={release.lapsed || `by ${release.by}, ${DAY.format(new Date(release.at))}`}>
      <i aria-hidden>{release.lapsed ? "╱" : "✓"}</i> {release.lapsed ? "release lapsed" : "released"}
    </span>
  );
}

function Told({ release }: { release: Release }) {
  return (
    <div className="release-told">
      <p>
        Released by <b>{release.by}</b>, {DAY.format(new Date(release.at))}.
      </p>
      {release.note && <p>{release.note}</p>}
      {release.lapsed && <p className="failure">It does not stand any more: {release.lapsed}.</p>}
      {release.accepted.length > 0 && <h4>Accepted</h4>}
      {release.accepted.map((item, i) => (
        <p key={i} className="quiet">
          {item.kind}
          {item.line > 0 && `, line ${item.line}`}: {item.reason || item.judgement} ({item.by})
        </p>
      ))}
    </div>
  );
}

interface Props {
  rehearsal: RehearsalFull;
  me: Me;
}

/** In the head of a rehearsal: its release, or the way to one, and why there is none. */
export function ReleaseControl({ rehearsal, me }: Props) {
  const { message } = App.useApp();
  const queries = useQueryClient();
  const [asking, setAsking] = useState<"release" | "withdraw" | null>(null);
  const [note, setNote] = useState("");
  const { release, not_releasable: why } = rehearsal;
  const may = MAY_RELEASE.includes(me.role);
  const withdrawn = release?.lapsed.startsWith("withdrawn");
  const send = async () => {
    try {
      if (asking === "withdraw") await api.withdrawRelease(release!.id, note);
      else await api.release(rehearsal.id, note);
      setAsking(null);
      setNote("");
      await queries.invalidateQueries();
    } catch (error) {
      message.error((error as Error).message);
    }
  };
  const accepted = rehearsal.findings.filter((finding) => finding.triage && finding.triage.judgement !== "real" && !finding.triage.reopened);
  return (
    <>
      {release && (
        <Popover content={<Told release={release} />} trigger={["click"]} placement="bottomRight">
          <button className="as-link">
            <ReleaseMark release={release} />
          </button>
        </Popover>
      )}
      {release && !withdrawn && may && (
        <Button size="small" type="text" onClick={() => setAsking("withdraw")}>
          Withdraw
        </Button>
      )}
      {(!release || release.lapsed) && may && !rehearsal.quick && (
        <Button size="small" disabled={!!why} title={why && `Cannot be released: ${why}`} onClick={() => setAsking("release")}>
          Release…
        </Button>
      )}
      <Modal
        open={asking !== null}
        title={asking === "withdraw" ? `Withdraw the release of revision ${rehearsal.revision_number}` : `Release revision ${rehearsal.revision_number} of ${rehearsal.job_name}`}
        okText={asking === "withdraw" ? "Withdraw it" : `Sign as ${me.name}`}
        cancelText="Not yet"
        okButtonProps={{ disabled: asking === "withdraw" && !note.trim() }}
        onOk={() => void send()}
        onCancel={() => setAsking(null)}
        destroyOnHidden
      >
        {asking === "release" && (
          <>
            <p>
              You sign that this program may run on {rehearsal.machine}, on the evidence of rehearsal {rehearsal.id}. The signature falls away when its machine or
              a tool of it changes in the library, when a judgement is taken back, or when the computation is another.
            </p>
            {accepted.length > 0 && (
              <>
                <h4>Accepted with it</h4>
                <ul className="release-accepted">
                  {accepted.map((finding) => (
                    <li key={finding.id}>
                      {finding.data.message}
                      {finding.data.line > 0 && `, line ${finding.data.line}`}
                      <div className="quiet">
                        {finding.triage!.reason || "a fault of the model"} ({finding.triage!.by})
                      </div>
                    </li>
                  ))}
                </ul>
              </>
            )}
            {rehearsal.cautions > 0 && <p className="quiet">{rehearsal.cautions} cautions stand in its verdict.</p>}
          </>
        )}
        <Input.TextArea
          rows={3} // autoSize measures with a style attribute, which the policy of pages forbids
          value={note}
          maxLength={2000}
          aria-label={asking === "withdraw" ? "Why" : "Note"}
          placeholder={asking === "withdraw" ? "Why it is withdrawn" : "A note for those who read it on the floor"}
          onChange={(event) => setNote(event.target.value)}
        />
      </Modal>
    </>
  );
}
