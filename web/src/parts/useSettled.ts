import { useEffect, useState } from "react";

/** A value that follows another at most so often; undefined is taken at once. */
export function useSettled<T>(value: T | undefined, every: number): T | undefined {
  const [settled, setSettled] = useState(value);
  useEffect(() => {
    const timer = setTimeout(() => setSettled(value), value === undefined ? 0 : every);
    return () => clearTimeout(timer);
  }, [value, every]);
  return settled;
}
