interface Props {
  label: string;
  bins: readonly (readonly number[])[];
  /** The one channel that is drawn; all where undefined. */
  shown: number | undefined;
}

const HEIGHT = 48;
const DASHES = ["", "3 2", "1 2"];

/** How many texels have which value, from black to white: a line for each channel, told apart by its dashes. */
export function Histogram({ label, bins, shown }: Props) {
  const most = Math.max(1, ...bins.flat());
  const width = bins[0]?.length ?? 1;
  return (
    <svg
      role="img"
      aria-label={label}
      className="histogram"
      viewBox={`0 0 ${width} ${HEIGHT}`}
      preserveAspectRatio="none"
    >
      {bins.map((channel, index) =>
        shown === undefined || shown === index || bins.length === 1 ? (
          <polyline
            key={DASHES[index]}
            fill="none"
            stroke="currentColor"
            strokeDasharray={DASHES[index]}
            vectorEffect="non-scaling-stroke"
            points={channel
              .map((count, at) => `${at + 0.5},${HEIGHT - (HEIGHT - 2) * Math.sqrt(count / most)}`)
              .join(" ")}
          />
        ) : null,
      )}
    </svg>
  );
}
