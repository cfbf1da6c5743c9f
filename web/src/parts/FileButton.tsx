import { Button, type ButtonProps } from "antd";
import { useRef } from "react";

interface Props extends Pick<ButtonProps, "type" | "loading" | "children"> {
  /** What the file is, for those who do not see the button. */
  label: string;
  accept: string;
  take: (file: File) => void;
}

/** A button that asks for one file. */
export function FileButton({ label, accept, take, ...button }: Props) {
  const file = useRef<HTMLInputElement>(null);
  return (
    <>
      <input
        ref={file}
        type="file"
        hidden
        aria-label={label}
        accept={accept}
        onChange={(event) => {
          const chosen = event.target.files?.[0];
          if (chosen !== undefined) take(chosen);
          event.target.value = "";
        }}
      />
      <Button size="small" {...button} onClick={() => file.current?.click()} />
    </>
  );
}
