import { Button, Select, Typography } from "antd";
import type { Finding } from "../api/types";

const WORDS: Record<Finding["severity"], string> = { problem: "Problem", warning: "Doubt", note: "Note" };

interface Props {
  findings: Finding[];
  remedy?: (finding: Finding) => void;
  choose?: (path: string) => void;
}

/** What is odd, with what is usual, and its remedy; a remedy of one action can be done at once, and one of several files be chosen. */
export function FindingList({ findings, remedy, choose }: Props) {
  return (
    <ul className="list">
      {findings.map((finding, index) => (
        <li key={index}>
          <Typography.Text
            strong={finding.severity === "problem"}
            {...(finding.severity === "note" ? { type: "secondary" as const } : {})}
          >
            {WORDS[finding.severity]}:{" "}
          </Typography.Text>
          {finding.message}{" "}
          {finding.accepted && <Typography.Text type="secondary">Accepted: it does not matter. </Typography.Text>}
          {finding.usual !== "" && (
            <Typography.Text type="secondary">
              Usual: {finding.usual} ({finding.source}).{" "}
            </Typography.Text>
          )}
          {finding.remedy !== "" && <Typography.Text type="secondary">{finding.remedy}</Typography.Text>}
          {remedy !== undefined && finding.fix != null && (
            <Button size="small" type="link" onClick={() => remedy(finding)}>
              Apply
            </Button>
          )}
          {choose !== undefined && finding.choices.length > 0 && (
            <Select
              aria-label={`File meant by ${finding.evidence}`}
              size="small"
              className="field-wide"
              placeholder="which one is meant…"
              value={null}
              options={finding.choices.map((path) => ({ value: path, label: path }))}
              onChange={(path: string | null) => path !== null && choose(path)}
            />
          )}
        </li>
      ))}
    </ul>
  );
}
