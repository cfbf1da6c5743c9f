import type { ReactNode } from "react";

/** A field, and below it why what was typed cannot be taken. */
export function Typed({ wrong, children }: { wrong: string | undefined; children: ReactNode }) {
  return (
    <span className="typed">
      {children}
      {wrong !== undefined && (
        <span role="alert" className="smaller typed-wrong">
          {wrong}
        </span>
      )}
    </span>
  );
}
