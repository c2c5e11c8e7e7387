import { CAUTION, CLEAR, STOP } from "../look";

/** Severity by shape and colour: a barred square for stop, an open diamond for caution, a ring for clear. */
export function Mark({ severity }: { severity: "stop" | "caution" | "clear" }) {
  return (
    <svg width="14" height="14" viewBox="0 0 14 14" role="img" aria-label={severity} className="mark">
      {severity === "stop" && (
        <>
          <rect x="1" y="1" width="12" height="12" rx="1.5" fill={STOP} />
          <path d="M4 7h6" stroke="#fff" strokeWidth="2" />
        </>
      )}
      {severity === "caution" && <path d="M7 1l6 6-6 6-6-6z" fill="none" stroke={CAUTION} strokeWidth="2" />}
      {severity === "clear" && <circle cx="7" cy="7" r="5" fill="none" stroke={CLEAR} strokeWidth="2.4" />}
    </svg>
  );
}
