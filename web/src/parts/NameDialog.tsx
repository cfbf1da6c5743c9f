import { Input, Modal } from "antd";
import { useState } from "react";

interface Props {
  title: string;
  label: string;
  /** What stands in the field at first. */
  start?: string;
  ok: string;
  close: () => void;
  take: (name: string) => void;
  pending?: boolean;
}

/** Asks for a name; there is none to take while nothing is written. Mount it while it is open. */
export function NameDialog({ title, label, start = "", ok, close, take, pending = false }: Props) {
  const [name, setName] = useState(start);
  const send = () => name.trim() !== "" && take(name);
  return (
    <Modal
      title={title}
      open
      onCancel={close}
      onOk={send}
      okText={ok}
      confirmLoading={pending}
      okButtonProps={{ disabled: name.trim() === "" }}
    >
      <Input
        aria-label={label}
        value={name}
        onChange={(event) => setName(event.target.value)}
        onPressEnter={send}
        autoFocus
      />
    </Modal>
  );
}
