import { Flex, Radio, Typography } from "antd";
import { Link } from "react-router";
import type { Target } from "../../api/types";
import { placeOf } from "../../parts/useGo";

interface Props {
  project: number;
  target: Target;
  targets: Target[];
  choose: (key: string) => void;
}

/** Every way of writing: target profiles, then the models' own targets. */
export function TargetChoice({ project, target, targets, choose }: Props) {
  const profiles = targets.filter(({ narrows }) => narrows !== "");
  const models = targets.filter(({ narrows }) => narrows === "");
  return (
    <Radio.Group className="block" value={target.key} onChange={(event) => choose(event.target.value as string)}>
      {profiles.length > 0 && (
        <>
          <Flex justify="space-between" align="baseline">
            <Typography.Title level={5} className="heading">
              Write by a target profile
            </Typography.Title>
            <Link to={placeOf("/targets", project)}>Change profiles</Link>
          </Flex>
          <Ways targets={profiles} chosen={target.key} />
        </>
      )}
      <Typography.Title level={5} className="heading">
        Write as
      </Typography.Title>
      <Ways targets={models} chosen={target.key} />
    </Radio.Group>
  );
}

function Ways({ targets, chosen }: { targets: Target[]; chosen: string }) {
  return (
    <div className="ways">
      {targets.map((target) => (
        <Radio key={target.key} value={target.key} disabled={target.format === ""}>
          {target.title}
          {(target.key === chosen || target.format === "") && (
            <Typography.Text type="secondary" className="way">
              {about(target)}
            </Typography.Text>
          )}
        </Radio>
      ))}
    </div>
  );
}

function about({ says, format, format_title: written, writes }: Target): string {
  if (format === "") return "no format that is installed here writes it";
  return says === "" ? `${written}: ${writes}` : says;
}
