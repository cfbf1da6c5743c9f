import { App, Button, Flex, Typography } from "antd";
import { useNavigate, useParams } from "react-router";
import { useComparison, useConvert, type Comparison } from "../../api/queries";
import { AIMS, type Aim } from "../../parts/aims";
import { ASPECTS } from "../../parts/aspects";
import { ColourChip } from "../../parts/ColourField";
import { rgbOf } from "../../parts/colour";
import { explain, Failure } from "../../parts/Failure";
import { percent } from "../../parts/percent";
import { palette } from "../../theme";
import { FidelityMark } from "../bench/FidelityMark";

type Target = Comparison["targets"][number];
type Value = Target["values"][number];
/** Errors this close are the same; then the richer target, which stands first, counts as nearest. */
const TIE = 5e-4;

/** One material in every target side by side: the error to expect, what is lost, and every value, so that one can choose. */
export function CompareScreen({ project }: { project: number }) {
  const found = useComparison(Number(useParams().material));
  if (found.error !== null) return <Failure error={found.error} />;
  if (found.data === undefined) return null;
  const { data } = found;
  const least = Math.min(...data.targets.map((target) => target.predicted));
  const nearest = data.targets.find((target) => target.predicted <= least + TIE);
  return (
    <Flex vertical gap={10} style={{ padding: "14px 20px 28px", minWidth: 1180 }}>
      <Flex gap={14} align="baseline">
        <Typography.Title level={4} style={{ margin: 0 }}>{data.name}</Typography.Title>
        <span style={{ color: palette.faded }}>{data.model.replaceAll("_", " ")}, in every target</span>
      </Flex>
      <table style={{ borderCollapse: "collapse", tableLayout: "fixed", width: "100%", fontSize: 13 }}>
        <thead>
          <tr style={{ verticalAlign: "top", borderBottom: `1px solid ${palette.ink}` }}>
            <th scope="col" style={{ width: 92 }} />
            {data.targets.map((target) => <Head key={target.target + target.profile} target={target} material={data.material_id} project={project} best={target === nearest} />)}
          </tr>
        </thead>
        <tbody>
          <tr style={{ verticalAlign: "top", borderBottom: `1px solid ${palette.rule}` }}>
            <th scope="row" style={ROW_HEAD}>lost</th>
            {data.targets.map((target) => <td key={target.target + target.profile} style={CELL}><Losses target={target} /></td>)}
          </tr>
          {ASPECTS.filter((aspect) => data.targets.some((target) => target.values.some((value) => value.group === aspect))).map((aspect) => (
            <tr key={aspect} style={{ verticalAlign: "top", borderBottom: `1px solid ${palette.rule}` }}>
              <th scope="row" style={ROW_HEAD}>{aspect}</th>
              {data.targets.map((target) => (
                <td key={target.target + target.profile} style={CELL}>{target.values.filter((value) => value.group === aspect).map((value) => <Cell key={value.name} value={value} />)}</td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </Flex>
  );
}

const CELL = { padding: "6px 10px 6px 0", overflowWrap: "anywhere" } as const;
const ROW_HEAD = { padding: "6px 8px 6px 0", textAlign: "left", color: palette.accent, fontWeight: 650 } as const;

function Head({ target, material, project, best }: { target: Target; material: number; project: number; best: boolean }) {
  const aim = aimOf(target);
  const lost = target.losses.length;
  return (
    <th scope="col" style={{ ...CELL, textAlign: "left", fontWeight: 450 }}>
      <strong style={{ fontSize: 14 }}>{aim.label}</strong>
      <div className="numbers" style={{ fontSize: 19 }}>{percent(target.predicted)}{best && <span style={{ fontSize: 12.5, color: palette.accent, fontFamily: "inherit" }}> nearest</span>}</div>
      <div style={{ color: palette.faded }}>predicted lobe error</div>
      <div style={{ color: palette.faded }}>{target.approximated} approximated, {lost} lost</div>
      <Open target={target} aim={aim} material={material} project={project} />
    </th>
  );
}

function Open({ target, aim, material, project }: { target: Target; aim: Aim; material: number; project: number }) {
  const { message } = App.useApp();
  const navigate = useNavigate();
  const start = useConvert(project, aim);
  if (target.conversion_id !== null) {
    return <Button size="small" style={{ marginTop: 4 }} onClick={() => void navigate(`/bench/${target.conversion_id}?to=${aim.key}`)}>To the bench</Button>;
  }
  const convert = () => start.mutate([material], { onSuccess: () => void navigate(`/board?to=${aim.key}`), onError: (error) => void message.error(explain(error), 8) });
  return <Button size="small" style={{ marginTop: 4 }} loading={start.isPending} onClick={convert}>Convert and check</Button>;
}

function aimOf(target: Target): Aim {
  return AIMS.find((aim) => aim.target === target.target && aim.profile === target.profile) ?? AIMS[0];
}

function Losses({ target }: { target: Target }) {
  if (target.losses.length === 0) return <span style={{ color: palette.faded }}>nothing</span>;
  return <ul style={{ margin: 0, paddingLeft: 14 }}>{target.losses.map((loss) => <li key={loss.sources.join() + loss.text} title={loss.text}>{loss.sources.join(", ") || loss.text}</li>)}</ul>;
}

function Cell({ value }: { value: Value }) {
  const colour = rgbOf(value.constant);
  return (
    <div style={{ padding: "1px 0" }}>
      <span style={{ color: palette.faded }}>{value.name}</span>
      <Flex gap={5} align="center">
        {colour !== undefined && <ColourChip value={colour} />}
        <span className="numbers" style={{ fontSize: 12.5 }}>{value.shown}</span>
        <span title={value.fidelity}><FidelityMark fidelity={value.fidelity} signOnly /></span>
      </Flex>
    </div>
  );
}
