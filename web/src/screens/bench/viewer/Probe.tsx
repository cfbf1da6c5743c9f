import { encode, hexOf, type Rgb } from "../../../parts/colour";
import { short } from "../../../parts/words";
import type { Pointed } from "./Panes";
import { measuresIn, pixelsIn, sampled, type Pixels } from "./pixels";

/** The values of the pixel under the pointer, or the means of the region that was drawn, of both sides. */
export function Probe({ pixels, pointed }: { pixels: Pixels | undefined; pointed: Pointed | undefined }) {
  if (pixels === undefined || pointed === undefined) {
    const says = pixels === undefined ? "" : "Point at a pixel to read it; drag with Shift for a region.";
    return <p className="probe faded small">{says}</p>;
  }
  const sample = sampled(pixels, pointed.region);
  const region = pixelsIn(pixels, pointed.region);
  const where = pointed.held
    ? `${region.right - region.left + 1} × ${region.bottom - region.top + 1} pixels`
    : `${region.left}, ${region.top}`;
  return (
    <p className="probe numbers small" role="status" aria-label="Pixel values">
      <span>{where}</span>
      <Side name="original" colour={sample.original} />
      <Side name="converted" colour={sample.converted} />
      {measuresIn(pixels).map((measure) => (
        <span key={measure}>
          <span className="faded">{measure}</span> {short(sample.measured[measure] ?? 0)}
        </span>
      ))}
    </p>
  );
}

function Side({ name, colour }: { name: string; colour: Rgb }) {
  const display = colour.map((part) => Math.round(255 * encode(Math.min(Math.max(part, 0), 1))));
  return (
    <span>
      <span aria-hidden className="colour-chip" style={{ background: hexOf(colour) }} />{" "}
      <span className="faded">{name}</span> {colour.map((part) => part.toFixed(3)).join(" ")}{" "}
      <span className="faded">sRGB</span> {display.join(" ")}
    </span>
  );
}
