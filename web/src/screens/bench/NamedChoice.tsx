import { Divider, Select } from "antd";
import { useState } from "react";
import { HandIn } from "./HandIn";

interface Props {
  label: string;
  value: string;
  choices: readonly { id: string; title: string; says: string }[];
  choose: (id: string) => void;
  project: number;
  /** What files can be uploaded as one more choice, and how that is called. */
  accept: string;
  own: string;
}

/** One of some named things, or one of one's own. */
export function NamedChoice({ label, value, choices, choose, project, accept, own }: Props) {
  const [open, setOpen] = useState(false);
  const take = (id: string) => {
    setOpen(false);
    choose(id);
  };
  return (
    <Select
      size="small"
      aria-label={label}
      className="field"
      popupMatchSelectWidth={260}
      value={value}
      options={choices.map(({ id, title, says }) => ({ value: id, label: title, title: `${title}: ${says}` }))}
      onChange={choose}
      open={open}
      onOpenChange={setOpen}
      popupRender={(menu) => (
        <>
          {menu}
          <Divider className="in-menu" />
          <HandIn project={project} accept={accept} label={own} take={take} />
        </>
      )}
    />
  );
}
