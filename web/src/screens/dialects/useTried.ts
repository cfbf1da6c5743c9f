import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { client, unwrap } from "../../api/client";
import type { Tried } from "../../api/types";
import type { SheetKind } from "./samples";
import { keys } from "../../api/keys";

const PAUSE = 250;

/** What the dialect makes of the sheet, asked a moment after the last key. */
export function useTried(dialect: string, sheet: string, kind: SheetKind): Tried | undefined {
  const [asked, setAsked] = useState({ dialect, sheet, kind });
  useEffect(() => {
    const timer = setTimeout(() => setAsked({ dialect, sheet, kind }), PAUSE);
    return () => clearTimeout(timer);
  }, [dialect, sheet, kind]);
  return useQuery({
    queryKey: keys.tried(asked),
    placeholderData: keepPreviousData,
    queryFn: () => unwrap(client.POST("/api/v1/dialects/try", { body: asked })),
  }).data;
}
