interface Props {
  source: string | undefined;
  label: string;
  edge: number | string;
  dimmed?: boolean;
}

/** A picture in neutral grey; grey alone while there is none, dimmed while it belongs to what was there before. */
export function PictureWell({ source, label, edge, dimmed = false }: Props) {
  const size = { width: edge };
  if (source === undefined)
    return <div role="img" aria-label={`${label}: not made yet`} className="well" style={size} />;
  return <img src={source} alt={label} className="well" style={size} data-dimmed={dimmed} />;
}
