import { useCallback, useEffect, useState } from "react";

/** Whether the pictures fill the screen; where the browser keeps its own bars, they fill its window. */
export function useFullScreen(): [boolean, (full: boolean) => void] {
  const [full, setFull] = useState(false);
  useEffect(() => {
    // Escape leaves full screen without a key that the page could see.
    const follow = () => document.fullscreenElement === null && setFull(false);
    document.addEventListener("fullscreenchange", follow);
    return () => document.removeEventListener("fullscreenchange", follow);
  }, []);
  const change = useCallback((wanted: boolean) => {
    setFull(wanted);
    // Refused or unknown, the window is filled all the same.
    if (wanted && document.fullscreenEnabled) document.documentElement.requestFullscreen().catch(() => undefined);
    if (!wanted && document.fullscreenElement != null) void document.exitFullscreen();
  }, []);
  return [full, change];
}
