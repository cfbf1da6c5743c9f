import { palette } from "../../theme";

const WIDTH = 280;
const HEIGHT = 128;
const LEFT = 30;
const BOTTOM = 18;

interface Props {
  angles: number[];
  original: number[][];
  converted: number[][];
}

/** Reflectance against angle of view: the original as a full line, the converted as a dashed one. */
export function AnglePlot({ angles, original, converted }: Props) {
  const lines = [original.map(luminance), converted.map(luminance)];
  const top = Math.max(0.1, ...lines.flat()) * 1.08;
  const x = (angle: number) => LEFT + ((WIDTH - LEFT - 6) * angle) / 90;
  const y = (value: number) => 6 + (HEIGHT - BOTTOM - 6) * (1 - value / top);
  const path = (values: number[]) =>
    values
      .map((value, index) => `${index === 0 ? "M" : "L"}${x(angles[index] ?? 0).toFixed(1)} ${y(value).toFixed(1)}`)
      .join(" ");
  return (
    <svg
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      width="100%"
      fontSize="10"
      role="img"
      aria-label="Reflectance against angle of view, original and converted"
    >
      {[0, 0.5, 1].map((share) => (
        <g key={share}>
          <line x1={LEFT} x2={WIDTH - 6} y1={y(share * top)} y2={y(share * top)} stroke={palette.rule} />
          <text x={LEFT - 4} y={y(share * top) + 3} textAnchor="end" fill={palette.faded}>
            {(share * top).toFixed(2)}
          </text>
        </g>
      ))}
      {[0, 30, 60, 90].map((angle) => (
        <text key={angle} x={x(angle)} y={HEIGHT - 4} textAnchor={angle === 90 ? "end" : "middle"} fill={palette.faded}>
          {angle}°
        </text>
      ))}
      <path d={path(lines[0] ?? [])} fill="none" stroke={palette.ink} strokeWidth="1.6" />
      <path d={path(lines[1] ?? [])} fill="none" stroke={palette.accent} strokeWidth="1.6" strokeDasharray="5 3" />
      <text x={LEFT + 6} y={14} fill={palette.ink}>
        — original
      </text>
      <text x={LEFT + 66} y={14} fill={palette.accent}>
        - - converted
      </text>
    </svg>
  );
}

function luminance(colour: number[]): number {
  const [red = 0, green = 0, blue = 0] = colour;
  return 0.2126 * red + 0.7152 * green + 0.0722 * blue;
}
