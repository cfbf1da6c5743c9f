import { Drawer, Flex, Select, Table } from "antd";
import { useState } from "react";
import { useDeliveryDifference } from "../../api/deliveries";
import type { DeliveryDifference, Job } from "../../api/types";
import { Failure } from "../../parts/Failure";
import { VerdictMark, VERDICTS } from "../../parts/VerdictMark";
import { momentOf } from "../../parts/words";

type Changed = DeliveryDifference["changed"][number];

const MOST_NAMED = 8;

/** What a delivery holds otherwise than one that was written before it. */
export function Since({ job, earlier }: { job: Job; earlier: Job[] }) {
  const [since, setSince] = useState<number>();
  if (earlier.length === 0) return null;
  return (
    <>
      <Select
        aria-label={`What changed in ${job.title} since`}
        size="small"
        className="field"
        popupMatchSelectWidth={false}
        placeholder="changed since…"
        value={since ?? null}
        options={earlier.map(({ id, title, created }) => ({
          value: id,
          label: `${title}, ${momentOf(created).toLocaleString()}`,
        }))}
        onChange={setSince}
      />
      <Drawer
        title="What the delivery holds otherwise"
        open={since !== undefined}
        onClose={() => setSince(undefined)}
        size={860}
        destroyOnHidden
      >
        {since !== undefined && <Difference job={job.id} earlier={since} />}
      </Drawer>
    </>
  );
}

function Difference({ job, earlier }: { job: number; earlier: number }) {
  const { data, error } = useDeliveryDifference(job, earlier);
  if (error !== null) return <Failure error={error} />;
  if (data === undefined) return null;
  const { titles, targets, same, changed, added, removed } = data;
  return (
    <Flex vertical gap={12}>
      <span className="faded small">
        {titles[0]} → {titles[1]}
        {targets[0] !== targets[1] && `: another target, ${targets[0]} → ${targets[1]}`}
      </span>
      <strong role="status">
        {changed.length} changed, {same} the same, {added.length} new, {removed.length} gone
      </strong>
      {changed.length > 0 && (
        <Table<Changed>
          size="small"
          rowKey={({ source, name }) => `${source} ${name}`}
          pagination={{ pageSize: 12, hideOnSinglePage: true, showSizeChanger: false }}
          dataSource={changed}
          columns={[
            { title: "material", dataIndex: "name", width: 190, ellipsis: true },
            { title: "what changed", render: (_, one) => <Values one={one} /> },
            { title: "before", width: 110, render: (_, one) => <Mark verdict={one.was} /> },
            { title: "now", width: 110, render: (_, one) => <Mark verdict={one.now} /> },
          ]}
        />
      )}
      <Named title="new" names={added} />
      <Named title="gone" names={removed} />
      <Named title="files changed" names={data.files_changed} />
      <Named title="files new" names={data.files_added} />
      <Named title="files gone" names={data.files_removed} />
    </Flex>
  );
}

function Values({ one }: { one: Changed }) {
  if (one.values.length === 0) return <span className="faded">no value</span>;
  return one.values.map(({ name, before, after }) => (
    <span key={name} className="block small">
      {name} <span className="numbers">{before || "nothing"}</span> →{" "}
      <span className="numbers">{after || "nothing"}</span>
    </span>
  ));
}

function Mark({ verdict }: { verdict: string }) {
  const known = VERDICTS.find((one) => one === verdict);
  return known === undefined ? <span className="faded small">not checked</span> : <VerdictMark verdict={known} />;
}

function Named({ title, names }: { title: string; names: string[] }) {
  if (names.length === 0) return null;
  const more = names.length - MOST_NAMED;
  return (
    <span className="small">
      <strong>
        {names.length} {title}:
      </strong>{" "}
      {names.slice(0, MOST_NAMED).join(", ")}
      {more > 0 && ` and ${more} more`}
    </span>
  );
}
