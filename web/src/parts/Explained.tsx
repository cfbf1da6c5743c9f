import { Button, Popover } from "antd";
import { useState } from "react";
import { useTopic } from "../api/reference";
import { useGo } from "./useGo";
import { VerdictMark, VERDICTS } from "./VerdictMark";

interface Props {
  /** What the button says to those who listen, and the heading of what opens. */
  label: string;
  /** Ids of words of the reference. */
  words: readonly string[];
}

/** Says plainly what words and marks mean, where they are used. */
export function Explained({ label, words }: Props) {
  const [open, setOpen] = useState(false);
  const go = useGo();
  const sections = useTopic("words", open).data?.sections ?? [];
  const chosen = words.flatMap((id) => sections.filter((section) => section.id === id));
  const said = (
    <div className="explained">
      <dl>
        {chosen.map(({ id, title, mark, text }) => (
          <div key={id}>
            <dt>
              <Sign id={id} mark={mark} />
              {title}
            </dt>
            <dd className="small">{text.join(" ")}</dd>
          </div>
        ))}
      </dl>
      <Button size="small" type="link" onClick={() => go("/help/words")}>
        All words and marks
      </Button>
    </div>
  );
  return (
    <Popover title={label} content={said} trigger="click" open={open} onOpenChange={setOpen} placement="bottom">
      <Button size="small" type="text" aria-label={label} aria-expanded={open} className="explains">
        ?
      </Button>
    </Popover>
  );
}

/** The mark as screens show it. */
function Sign({ id, mark }: { id: string; mark: string }) {
  const verdict = VERDICTS.find((one) => one === id);
  if (verdict !== undefined) return <VerdictMark verdict={verdict} label={false} />;
  return mark === "" ? null : <span className="numbers">{mark} </span>;
}
