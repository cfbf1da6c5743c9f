import { Button, Flex, Typography } from "antd";
import type { ReactNode } from "react";
import { useParams } from "react-router";
import { useComparison, useConvert } from "../../api/conversions";
import type { Comparison } from "../../api/types";
import { ASPECTS } from "../../parts/aspects";
import { ColourChip } from "../../parts/ColourField";
import { rgbOf } from "../../parts/colour";
import { Failure } from "../../parts/Failure";
import { PlainnessNote } from "../../parts/PlainnessNote";
import { useComplaint } from "../../parts/useComplaint";
import { useGo } from "../../parts/useGo";
import { percent, spaced } from "../../parts/words";
import { FidelityMark } from "../../parts/FidelityMark";

type Compared = Comparison["targets"][number];
type Value = Compared["values"][number];

/** One material in every target side by side: the error to expect, what is lost, and every value, so that one can choose. */
export function CompareScreen({ project }: { project: number }) {
  const found = useComparison(Number(useParams().material));
  if (found.error !== null) return <Failure error={found.error} />;
  if (found.data === undefined) return <p className="screen faded">Computing every target…</p>;
  const { name, model, material_id: material, targets } = found.data;
  const aspects = ASPECTS.filter((aspect) => targets.some((target) => valuesOf(target, aspect).length > 0));
  return (
    <Flex vertical gap={10} className="screen screen-wide">
      <Flex gap={14} align="baseline">
        <Typography.Title level={4} className="heading">
          {name}
        </Typography.Title>
        <span className="faded">{spaced(model)}, in every target</span>
      </Flex>
      <table className="compared">
        <thead>
          <tr className="ruled-strong">
            <th scope="col" />
            {targets.map((target) => (
              <Head key={target.key} target={target} material={material} project={project} />
            ))}
          </tr>
        </thead>
        <tbody>
          <Row title="lost" targets={targets} cell={(target) => <Losses target={target} />} />
          {aspects.map((aspect) => (
            <Row
              key={aspect}
              title={aspect}
              targets={targets}
              cell={(target) => valuesOf(target, aspect).map((value) => <Cell key={value.name} value={value} />)}
            />
          ))}
        </tbody>
      </table>
    </Flex>
  );
}

function valuesOf(target: Compared, aspect: string): Value[] {
  return target.values.filter((value) => value.group === aspect);
}

interface RowProps {
  title: string;
  targets: Compared[];
  cell: (target: Compared) => ReactNode;
}

function Row({ title, targets, cell }: RowProps) {
  return (
    <tr className="ruled">
      <th scope="row" className="part-name">
        {title}
      </th>
      {targets.map((target) => (
        <td key={target.key}>{cell(target)}</td>
      ))}
    </tr>
  );
}

function Head({ target, material, project }: { target: Compared; material: number; project: number }) {
  return (
    <th scope="col" className="plain">
      <strong>{target.title}</strong>
      <div className="numbers large">
        {percent(target.predicted)}
        {target.nearest && <span className="part-name smaller"> nearest</span>}
      </div>
      <div className="faded">predicted lobe error</div>
      <div>
        <PlainnessNote plainness={target.plainness} />
      </div>
      <div className="faded">
        {target.approximated} approximated, {target.losses.length} lost
      </div>
      <Open target={target} material={material} project={project} />
    </th>
  );
}

function Open({ target, material, project }: { target: Compared; material: number; project: number }) {
  const go = useGo();
  const start = useConvert(project, { model: target.target, profile: target.profile });
  const complain = useComplaint();
  const { key, conversion_id: conversion } = target;
  if (conversion !== null) {
    return (
      <Button size="small" onClick={() => go(`/bench/${conversion}?to=${key}`)}>
        To the bench
      </Button>
    );
  }
  const convert = () =>
    start.mutate({ ids: [material] }, { onSuccess: () => go(`/board?to=${key}`), onError: complain });
  return (
    <Button size="small" loading={start.isPending} onClick={convert}>
      Convert and check
    </Button>
  );
}

function Losses({ target }: { target: Compared }) {
  if (target.losses.length === 0) return <span className="faded">nothing</span>;
  return (
    <ul className="list">
      {target.losses.map((loss) => (
        <li key={loss.sources.join() + loss.text} title={loss.text}>
          {loss.sources.join(", ") || loss.text}
        </li>
      ))}
    </ul>
  );
}

function Cell({ value }: { value: Value }) {
  const colour = rgbOf(value.constant);
  return (
    <div>
      <span className="faded">{value.name}</span>
      <Flex gap={5} align="center">
        {colour !== undefined && <ColourChip value={colour} />}
        <span className="numbers smaller">{value.shown}</span>
        <span title={value.fidelity}>
          <FidelityMark fidelity={value.fidelity} signOnly />
        </span>
      </Flex>
    </div>
  );
}
