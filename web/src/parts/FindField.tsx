import { Input } from "antd";
import { useEffect, useRef } from "react";

/** Milliseconds without a key stroke after which one has typed what one looks for. */
export const TYPED = 250;

interface Props {
  /** What is looked for at first. */
  first?: string;
  find: (text: string) => void;
  size?: "small" | "middle";
  className?: string;
}

/** Finds by part of a name, once typing rests. */
export function FindField({ first = "", find, size = "middle", className = "field" }: Props) {
  const newest = useRef(find);
  const timer = useRef<ReturnType<typeof setTimeout>>(undefined);
  useEffect(() => {
    newest.current = find;
  });
  useEffect(() => () => clearTimeout(timer.current), []);
  const findIn = (milliseconds: number, text: string) => {
    clearTimeout(timer.current);
    timer.current = setTimeout(() => newest.current(text), milliseconds);
  };
  return (
    <Input.Search
      aria-label="Find by name"
      size={size}
      className={className}
      placeholder="Find by name"
      allowClear
      defaultValue={first}
      onChange={(event) => findIn(TYPED, event.target.value)}
      onSearch={(text) => findIn(0, text)}
    />
  );
}
