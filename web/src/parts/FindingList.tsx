import { Typography } from "antd";
import type { Schemas } from "../api/client";

type Finding = Schemas["FindingOut"];
const WORDS: Record<Finding["severity"], string> = { problem: "Problem", warning: "Doubt", note: "Note" };

/** What is odd, with its evidence and its remedy. */
export function FindingList({ findings }: { findings: Finding[] }) {
  return (
    <ul style={{ margin: 0, paddingLeft: 18 }}>
      {findings.map((finding, index) => (
        <li key={index}>
          <Typography.Text strong={finding.severity === "problem"} {...(finding.severity === "note" ? { type: "secondary" as const } : {})}>{WORDS[finding.severity]}: </Typography.Text>
          {finding.message} {finding.remedy !== "" && <Typography.Text type="secondary">{finding.remedy}</Typography.Text>}
        </li>
      ))}
    </ul>
  );
}
