import type { ReactNode } from "react";

/** What stands before one is signed in: the mark, the name, and what is asked. */
export function Door({ said, children }: { said: ReactNode; children: ReactNode }) {
  return (
    <div className="sign-in">
      <img src="/mark.svg" width="44" alt="" />
      <h1>Blunt Mirror</h1>
      <p className="quiet">{said}</p>
      {children}
    </div>
  );
}
