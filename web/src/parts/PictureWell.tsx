import { fileUrl } from "../api/client";

interface Props {
  digest: string | undefined;
  label: string;
  edge: number | string;
}

/** A picture in neutral grey; grey alone while there is none. */
export function PictureWell({ digest, label, edge }: Props) {
  const size = { width: edge };
  if (digest === undefined)
    return <div role="img" aria-label={`${label}: not made yet`} className="well" style={size} />;
  return <img src={fileUrl(digest)} alt={label} className="well" style={size} />;
}
