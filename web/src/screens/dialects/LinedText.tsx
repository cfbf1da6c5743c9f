import { useRef } from "react";
import { palette } from "../../theme";

interface Props {
  label: string;
  value: string;
  change: (value: string) => void;
  marked: number[];
}

const LINE = 18;

/** Text with numbered lines; the lines that are marked stand out by sign and weight. */
export function LinedText({ label, value, change, marked }: Props) {
  const gutter = useRef<HTMLDivElement>(null);
  const count = value.split("\n").length;
  return (
    <div style={{ flex: 1, minHeight: 0, display: "grid", gridTemplateColumns: "44px 1fr", border: `1px solid ${palette.rule}`, background: palette.sheet }}>
      <div ref={gutter} aria-hidden className="numbers" style={{ overflow: "hidden", textAlign: "right", padding: "6px 6px", fontSize: 12, lineHeight: `${LINE}px`, color: palette.faded, background: palette.paper }}>
        {Array.from({ length: count }, (_, index) => {
          const wrong = marked.includes(index + 1);
          return <div key={index} style={{ fontWeight: wrong ? 700 : 400, color: wrong ? palette.ink : palette.faded }}>{wrong ? "▸" : ""}{index + 1}</div>;
        })}
      </div>
      <textarea
        aria-label={label} className="numbers" spellCheck={false} wrap="off" value={value} onChange={(event) => change(event.target.value)}
        onScroll={(event) => gutter.current?.scrollTo({ top: event.currentTarget.scrollTop })}
        style={{ border: 0, padding: "6px 8px", fontSize: 12.5, lineHeight: `${LINE}px`, resize: "none", background: "transparent", color: palette.ink, whiteSpace: "pre", overflow: "auto" }}
      />
    </div>
  );
}
