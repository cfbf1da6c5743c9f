import { Flex } from "antd";
import { short } from "../../../parts/words";
import type { BenchView } from "../useBenchView";
import { MEASURES, STOPS } from "./pixels";

const COLOURS = `linear-gradient(to top, ${STOPS.map((stop) => `rgb(${stop.join(" ")})`).join(", ")})`;

/** The colours of the difference picture and what they stand for. */
export function DifferenceScale({ view: { measure, most } }: { view: BenchView }) {
  const { unit } = MEASURES[measure];
  return (
    <Flex
      gap={4}
      aria-label={`Scale of the difference, ${unit} from 0 to ${most}`}
      role="img"
      className="numbers scale"
    >
      <span className="scale-colours" style={{ background: COLOURS }} />
      <Flex vertical justify="space-between">
        {[1, 0.75, 0.5, 0.25, 0].map((share) => (
          <span key={share}>{short(share * most)}</span>
        ))}
      </Flex>
    </Flex>
  );
}
