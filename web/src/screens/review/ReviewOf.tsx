import { Button, Flex, Input, Select, Typography, type InputRef } from "antd";
import { useRef, useState, type MouseEvent } from "react";
import { useConversion, useReview } from "../../api/conversions";
import { useProjectRigs } from "../../api/surroundings";
import type { Conversion, Review } from "../../api/types";
import { useMay } from "../../api/people";
import type { Schemas } from "../../api/client";
import { Failure } from "../../parts/Failure";
import { Moment } from "../../parts/Moment";
import { PictureWell } from "../../parts/PictureWell";
import { useComplaint } from "../../parts/useComplaint";
import { useGo } from "../../parts/useGo";
import { VerdictMark } from "../../parts/VerdictMark";
import type { BenchView } from "../bench/useBenchView";
import { useLook } from "../bench/useLook";
import { useReviewKeys } from "./useReviewKeys";
import type { Reviewable } from "./queue";

type Place = NonNullable<Review["place"]>;

interface Props {
  row: Reviewable;
  project: number;
  step: (by: number) => void;
  settled: () => void;
}

/** One material to be accepted or sent back. */
export function ReviewOf({ row, ...rest }: Props) {
  const conversion = useConversion(row.conversion_id);
  if (conversion.error !== null) return <Failure error={conversion.error} />;
  if (conversion.data === undefined) return null;
  return <Look row={row} conversion={conversion.data} {...rest} />;
}

const EDGE = 384;
const WHOLE = { stops: 0, measure: "ΔE2000", most: 10, marks: [], only: [], without: [] } as const;

function Look({ row, conversion, project, step, settled }: Props & { conversion: Conversion }) {
  const rigs = useProjectRigs(project);
  const [rig, setRig] = useState(row.review?.place?.rig ?? (row.verdict?.rig || "soft_studio"));
  const view: BenchView = {
    ...WHOLE,
    rig,
    stand: "sphere",
    turn: 0,
    shownAs: "pair",
    alone: undefined,
    against: undefined,
  };
  const look = useLook(conversion, view, {}, EDGE);
  const accepts = useMay("supervisor");
  const [note, setNote] = useState("");
  const [place, setPlace] = useState<Place>();
  const field = useRef<InputRef>(null);
  const review = useReview(conversion, project);
  const complain = useComplaint();
  const go = useGo();
  const say = (state: Schemas["ReviewIn"]["state"]) =>
    review.mutate({ state, note, place: place ?? null }, { onSuccess: settled, onError: complain });
  const accept = () => accepts && say("accepted");
  const sendBack = () => (note.trim() === "" ? field.current?.focus() : say("sent back"));
  useReviewKeys({ accept, sendBack, next: () => step(1), previous: () => step(-1) });
  const point = (side: Place["side"]) => (event: MouseEvent<HTMLElement>) => {
    const { left, top, width, height } = event.currentTarget.getBoundingClientRect();
    const [x, y] = [(event.clientX - left) / width, (event.clientY - top) / height];
    setPlace({ rig, stand: "sphere", turn: 0, side, x, y });
  };
  const shown = [place, row.review?.place].filter((one): one is Place => one != null && one.rig === rig);
  return (
    <section aria-label={row.name} className="review-of">
      <Flex gap={12} align="baseline" wrap>
        <Typography.Title level={4} className="heading">
          {row.name}
        </Typography.Title>
        <VerdictMark verdict={conversion.verdict.verdict} title={conversion.verdict.text} />
        <span className="small">{conversion.verdict.text.replace(/^[^:]*: /, "")}</span>
        <Button size="small" type="link" onClick={() => go(`/bench/${row.conversion_id}`)}>
          On the bench
        </Button>
      </Flex>
      <Said review={row.review} />
      <div className="review-pair on-well">
        {(["original", "converted"] as const).map((side) => (
          <figure key={side} className="captioned">
            <div className="pointed" onClick={point(side)}>
              <PictureWell
                source={look.pictures?.[side]}
                label={`${row.name}, ${side}`}
                edge="100%"
                dimmed={look.stale}
              />
              {shown.map(
                (one, index) =>
                  one.side === side && (
                    <span
                      key={index}
                      className="pointer"
                      role="img"
                      aria-label="where the note points"
                      style={{ left: `${100 * one.x}%`, top: `${100 * one.y}%` }}
                    />
                  ),
              )}
            </div>
            <figcaption>{side}</figcaption>
          </figure>
        ))}
      </div>
      <Flex gap={10} align="center" wrap>
        <Select
          size="small"
          aria-label="Light rig"
          className="field"
          value={rig}
          options={rigs.map(({ id, title }) => ({ value: id, label: title }))}
          onChange={setRig}
        />
        {row.checks.map(({ rig: one, decision }) => (
          <span key={one} className="small">
            {decision !== null && <VerdictMark verdict={decision.verdict} title={decision.text} />}{" "}
            {rigs.find(({ id }) => id === one)?.title ?? one}
          </span>
        ))}
        {row.outside !== null && (
          <span className="small">
            <VerdictMark verdict={row.outside.verdict} title={row.outside.text} /> another renderer
          </span>
        )}
        {row.losses.length > 0 && <span className="small">lost: {row.losses.join(", ")}</span>}
        {row.approximated > 0 && <span className="small faded">{row.approximated} approximated</span>}
      </Flex>
      <Flex gap={10} align="center">
        <Input
          ref={field}
          aria-label="Note"
          placeholder="a note; click into a picture to point at a place"
          value={note}
          maxLength={2000}
          onChange={(event) => setNote(event.target.value)}
        />
        <Button type="primary" disabled={!accepts} loading={review.isPending} onClick={accept}>
          Accept (a)
        </Button>
        <Button disabled={note.trim() === ""} loading={review.isPending} onClick={sendBack}>
          Send back (n)
        </Button>
        {row.review !== null && row.review.state !== "open" && (
          <Button type="text" onClick={() => say("open")}>
            Open again
          </Button>
        )}
      </Flex>
      {!accepts && <span className="faded small">Accepting takes a supervisor; you can send it back with a note.</span>}
      <span className="faded small">j next, k previous, a accept, n note and send back.</span>
    </section>
  );
}

/** What was said last, by whom and when, and what has changed since. */
function Said({ review }: { review: Review | null }) {
  if (review === null) return <span className="faded small">Nobody has looked at it yet.</span>;
  return (
    <span className="small">
      {review.changed.length > 0 && <strong>{review.changed.join(", ")} changed since it was </strong>}
      {review.said} by {review.by}, <Moment at={review.created} />
      {review.note !== "" && <>: “{review.note}”</>}
    </span>
  );
}
