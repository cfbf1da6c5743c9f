import { useRef } from "react";

interface Props {
  label: string;
  value: string;
  change: (value: string) => void;
  marked: number[];
}

/** Text with numbered lines; the lines that are marked stand out by sign and weight. */
export function LinedText({ label, value, change, marked }: Props) {
  const gutter = useRef<HTMLDivElement>(null);
  const count = value.split("\n").length;
  return (
    <div className="fill lined-text">
      <div ref={gutter} aria-hidden className="numbers gutter">
        {Array.from({ length: count }, (_, index) => {
          const wrong = marked.includes(index + 1);
          return (
            <div key={index} className={wrong ? "marked" : ""}>
              {wrong ? "▸" : ""}
              {index + 1}
            </div>
          );
        })}
      </div>
      <textarea
        aria-label={label}
        className="numbers"
        spellCheck={false}
        wrap="off"
        value={value}
        onChange={(event) => change(event.target.value)}
        onScroll={(event) => gutter.current?.scrollTo({ top: event.currentTarget.scrollTop })}
      />
    </div>
  );
}
