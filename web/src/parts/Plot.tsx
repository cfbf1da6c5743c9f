import { useState, type PointerEvent } from "react";
import { palette } from "../theme";
import { short } from "./words";

const WIDTH = 280;
const HEIGHT = 136;
const LEFT = 34;
const RIGHT = 6;
const BOTTOM = 18;
const TOP = 18;

interface Props {
  label: string;
  /** Along the plot, rising. */
  at: readonly number[];
  original: readonly number[];
  converted: readonly number[];
  /** Marks below the plot. */
  ticks: readonly number[];
  unit: string;
  /** How values are written. */
  say?: (value: number) => string;
}

/** Two lines, the original full and the converted dashed, with their numbers where the pointer is. */
export function Plot({ label, at, original, converted, ticks, unit, say = short }: Props) {
  const [pointed, point] = useState<number>();
  const first = at[0] ?? 0;
  const last = at[at.length - 1] ?? 1;
  const most = Math.max(1e-3, ...original, ...converted) * 1.08;
  const x = (value: number) => LEFT + ((WIDTH - LEFT - RIGHT) * (value - first)) / Math.max(last - first, 1e-9);
  const y = (value: number) => TOP + (HEIGHT - BOTTOM - TOP) * (1 - value / most);
  const path = (values: readonly number[]) =>
    values
      .map((value, index) => `${index === 0 ? "M" : "L"}${x(at[index] ?? 0).toFixed(1)} ${y(value).toFixed(1)}`)
      .join(" ");
  const move = (event: PointerEvent<SVGSVGElement>) => {
    const { left, width } = event.currentTarget.getBoundingClientRect();
    point(nearest(at.map(x), ((event.clientX - left) / Math.max(width, 1)) * WIDTH));
  };
  const here = pointed === undefined ? undefined : at[pointed];
  return (
    <svg
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      width="100%"
      fontSize="10"
      role="img"
      aria-label={`${label}, original and converted`}
      onPointerMove={move}
      onPointerLeave={() => point(undefined)}
    >
      {[0, 0.5, 1].map((share) => (
        <g key={share}>
          <line x1={LEFT} x2={WIDTH - RIGHT} y1={y(share * most)} y2={y(share * most)} stroke={palette.rule} />
          <text x={LEFT - 4} y={y(share * most) + 3} textAnchor="end" fill={palette.faded}>
            {say(share * most)}
          </text>
        </g>
      ))}
      {ticks.map((tick) => (
        <text key={tick} x={x(tick)} y={HEIGHT - 4} textAnchor={tick === last ? "end" : "middle"} fill={palette.faded}>
          {tick}
          {unit}
        </text>
      ))}
      <path d={path(original)} fill="none" stroke={palette.ink} strokeWidth="1.6" />
      <path d={path(converted)} fill="none" stroke={palette.accent} strokeWidth="1.6" strokeDasharray="5 3" />
      {pointed !== undefined && here !== undefined && (
        <g>
          <line x1={x(here)} x2={x(here)} y1={TOP} y2={HEIGHT - BOTTOM} stroke={palette.faded} strokeDasharray="1 2" />
          <circle cx={x(here)} cy={y(original[pointed] ?? 0)} r="2.5" fill={palette.ink} />
          <circle cx={x(here)} cy={y(converted[pointed] ?? 0)} r="2.5" fill={palette.accent} />
        </g>
      )}
      <text x={LEFT + 6} y={10} fill={palette.ink}>
        — original {pointed !== undefined && say(original[pointed] ?? 0)}
      </text>
      <text x={LEFT + 106} y={10} fill={palette.accent}>
        - - converted {pointed !== undefined && say(converted[pointed] ?? 0)}
      </text>
      {here !== undefined && (
        <text x={WIDTH - RIGHT} y={10} textAnchor="end" fill={palette.faded}>
          {short(here)}
          {unit}
        </text>
      )}
    </svg>
  );
}

function nearest(places: readonly number[], wanted: number): number {
  return places.reduce((best, place, index) => {
    return Math.abs(place - wanted) < Math.abs((places[best] ?? 0) - wanted) ? index : best;
  }, 0);
}
