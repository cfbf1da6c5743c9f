import { Flex, Select } from "antd";
import { useState } from "react";
import { useHandInPhotograph, usePhotographs } from "../../api/photographs";
import type { Conversion } from "../../api/types";
import { FileButton } from "../../parts/FileButton";
import { PictureWell } from "../../parts/PictureWell";
import { useComplaint } from "../../parts/useComplaint";
import { PhotographPicker } from "./PhotographPicker";
import type { Look } from "./useLook";

interface Props {
  conversion: Conversion;
  project: number;
  look: Look;
}

const EDGE = 320;

/** A photograph beside the render, and colours picked from it. It judges by eye, not by number. */
export function Photographs({ conversion, project, look }: Props) {
  const photographs = usePhotographs(project).data ?? [];
  const [chosen, choose] = useState<string>();
  const shown = photographs.find(({ id }) => id === chosen) ?? photographs[0];
  const handIn = useHandInPhotograph(project);
  const complain = useComplaint();
  const take = (file: File) => handIn.mutate(file, { onSuccess: ({ id }) => choose(id), onError: complain });
  return (
    <section aria-label="Photograph" className="photographs">
      <Flex gap={10} align="center" className="bar-line">
        {shown !== undefined && (
          <Select
            size="small"
            aria-label="Photograph"
            className="field-wide"
            value={shown.id}
            options={photographs.map(({ id, title, says }) => ({ value: id, label: `${title}, ${says}` }))}
            onChange={choose}
          />
        )}
        <FileButton
          label="Photograph file"
          accept=".jpg,.jpeg,.png,.tif,.tiff,.exr"
          take={take}
          loading={handIn.isPending}
        >
          Import a photograph…
        </FileButton>
        <span className="faded small">A photograph judges by eye, not by number: nothing of it enters a verdict.</span>
      </Flex>
      {shown !== undefined && (
        <div className="web-view on-well">
          <figure className="captioned">
            <PictureWell
              source={look.pictures?.converted}
              label={`${conversion.name}, converted, beside the photograph`}
              edge={EDGE}
              dimmed={look.stale}
            />
            <figcaption>converted</figcaption>
          </figure>
          <PhotographPicker key={shown.id} conversion={conversion} project={project} photograph={shown} />
        </div>
      )}
    </section>
  );
}
