import { Button, Flex, Input, Popconfirm, Segmented, Select, Typography } from "antd";
import { useState } from "react";
import { useJobs } from "../../api/jobs";
import {
  type Side,
  useDeleteKit,
  useFaults,
  useHandInPicture,
  useStandIn,
  useWebView,
  useWebViewers,
} from "../../api/outside";
import { useRigs, useStands } from "../../api/surroundings";
import type { Kit } from "../../api/types";
import { FileButton } from "../../parts/FileButton";
import { useComplaint } from "../../parts/useComplaint";

const SIDES: Side[] = ["original", "converted"];

/** What a kit holds, and what can be done with it: download it, hand a picture in, or have the stand-in make one. */
export function KitActions({ project, kit }: { project: number; kit: Kit }) {
  const [shows, setShows] = useState<Side>("original");
  const [space, setSpace] = useState("");
  const [wrong, setWrong] = useState("");
  const handIn = useHandInPicture(project, kit.id);
  const standIn = useStandIn(project, kit.id);
  const webView = useWebView(project, kit.id);
  const forget = useDeleteKit(project);
  const faults = useFaults().data ?? [];
  const viewers = useWebViewers().data ?? {};
  const complain = useComplaint();
  const jobs = useJobs(project).data ?? [];
  const named = (id: string, known: { id: string; title: string }[] | undefined) =>
    known?.find((one) => one.id === id.split(":")[0])?.title ?? id;
  const rig = named(kit.rig, useRigs(project).data);
  const stand = named(kit.stand, useStands(project).data);
  const busy = jobs.some((job) => job.kind === "compare" && (job.state === "queued" || job.state === "running"));
  return (
    <section aria-label="Kit">
      <Flex gap={14} align="baseline" wrap className="ruled-strong">
        <Typography.Title level={4} className="heading">
          {kit.materials.length === 1 ? kit.materials[0] : `${kit.materials.length} materials`}
        </Typography.Title>
        <span className="faded small">
          {kit.title} · {rig}
          {kit.turn !== 0 && ` turned by ${kit.turn.toFixed(0)}°`} · {stand} ·{" "}
          <span className="numbers">
            {kit.width} × {kit.height}
          </span>
        </span>
        <a className="end" href={`/api/v1/kits/${kit.id}/archive`}>
          Download the kit
        </a>
        <Popconfirm
          title="Take this kit away, with the pictures that came back?"
          okText="Remove"
          onConfirm={() => forget.mutate(kit.id, { onError: complain })}
        >
          <Button size="small" type="text">
            Delete
          </Button>
        </Popconfirm>
      </Flex>
      <Flex gap={10} align="center" wrap className="kit-actions">
        <span>The picture shows</span>
        <Segmented size="small" aria-label="What the picture shows" value={shows} options={SIDES} onChange={setShows} />
        <Input
          size="small"
          aria-label="Colour space"
          className="field"
          placeholder="colour space: by its name"
          value={space}
          onChange={(event) => setSpace(event.target.value)}
        />
        <FileButton
          label="Picture"
          accept=".exr,.hdr,.tif,.tiff,.png,.jpg,.jpeg"
          take={(file) => handIn.mutate({ file, shows, space }, { onError: complain })}
          type="primary"
          loading={handIn.isPending}
        >
          Import the picture…
        </FileButton>
      </Flex>
      <Flex gap={10} align="center" wrap className="kit-actions">
        {kit.on_the_web &&
          Object.entries(viewers).map(([id, title]) => (
            <Button
              key={id}
              size="small"
              loading={webView.isPending || busy}
              onClick={() => webView.mutate(id, { onError: complain })}
            >
              {title} draws the converted
            </Button>
          ))}
        <span className="faded">No renderer at hand?</span>
        <Button
          size="small"
          loading={standIn.isPending || busy}
          onClick={() => standIn.mutate({ shows, wrong }, { onError: complain })}
        >
          Stand-in renders the {shows}
        </Button>
        <Select
          size="small"
          aria-label="What the stand-in is set wrong"
          className="field"
          value={wrong}
          options={[
            { value: "", label: "nothing set wrong" },
            ...faults.map((fault) => ({ value: fault, label: fault })),
          ]}
          onChange={setWrong}
        />
      </Flex>
    </section>
  );
}
