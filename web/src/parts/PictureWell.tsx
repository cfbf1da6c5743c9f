import type { CSSProperties } from "react";
import { fileUrl } from "../api/client";
import { palette } from "../theme";

interface Props {
  digest: string | undefined;
  label: string;
  edge: number | string;
  style?: CSSProperties;
}

/** A picture in neutral grey; grey alone while there is none. */
export function PictureWell({ digest, label, edge, style }: Props) {
  const box: CSSProperties = { width: edge, aspectRatio: "1", background: palette.well, display: "block", ...style };
  if (digest === undefined) return <div role="img" aria-label={`${label}: not made yet`} style={box} />;
  return <img src={fileUrl(digest)} alt={label} style={box} />;
}
