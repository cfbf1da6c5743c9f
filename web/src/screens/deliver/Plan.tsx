import { Typography } from "antd";
import type { DeliveryPlan } from "../../api/types";

/** What the delivery will cost and lose, before it is written. */
export function Plan({ plan }: { plan: DeliveryPlan }) {
  return (
    <div aria-label="What it costs" role="group">
      <Typography.Title level={5} className="heading">
        What it costs
      </Typography.Title>
      <p className="plan-line">
        <span className="numbers">{plan.maps}</span> {plan.maps === 1 ? "map" : "maps"},{" "}
        <span className="numbers">{megabytes(plan.memory)}</span> MB in a renderer’s memory
        {plan.most_memory > 0 && `, of ${megabytes(plan.most_memory)} that the profile allows`}.
        {plan.unconverted > 0 && (
          <span className="block faded">
            {plan.unconverted} of {plan.materials} are not converted to it yet; they are when they are written.
          </span>
        )}
      </p>
      {plan.advice.map((advice) => (
        <Line key={`${advice.code} ${advice.materials[0]}`} line={advice} remedy={advice.remedy} />
      ))}
      {plan.losses.length > 0 && (
        <>
          <Typography.Title level={5} className="heading">
            What is lost
          </Typography.Title>
          {plan.losses.map((loss) => (
            <Line key={loss.text} line={loss} />
          ))}
        </>
      )}
      {plan.checklist.length > 0 && (
        <>
          <Typography.Title level={5} className="heading">
            What its viewer needs
          </Typography.Title>
          {plan.checklist.map((item) => (
            <Line
              key={item.feature}
              line={{ ...item, text: item.shown ? item.title : `${item.title}: cannot be shown` }}
              remedy={item.says}
            />
          ))}
        </>
      )}
    </div>
  );
}

function Line({ line, remedy }: { line: DeliveryPlan["losses"][number]; remedy?: string }) {
  return (
    <details className="plan-line">
      <summary>
        {line.text} <span className="numbers faded">{line.count}</span>
      </summary>
      {remedy !== undefined && <div>{remedy}</div>}
      <div className="faded smaller">
        {line.materials.join(", ")}
        {line.count > line.materials.length && ` and ${line.count - line.materials.length} more`}
      </div>
    </details>
  );
}

function megabytes(bytes: number): string {
  return (bytes / 1e6).toFixed(bytes < 1e7 ? 1 : 0);
}
