import { App, Button, Flex } from "antd";
import { useProfile, useSaveProfile, useTargets } from "../../api/targets";
import type { Kit, OutsidePicture } from "../../api/types";
import { useComplaint } from "../../parts/useComplaint";
import { useGo } from "../../parts/useGo";

interface Props {
  project: number;
  kit: Kit;
  response: OutsidePicture["responses"][number];
}

const WHAT = { emission: "own light", metal: "metal" } as const;
const FIELD = { emission: "emission_response", metal: "metal_response" } as const;

/** What a target profile can correct of the viewer, and the act of writing it there: only into a profile of the project's own. */
export function LearnedResponse({ project, kit, response }: Props) {
  const { message } = App.useApp();
  const go = useGo();
  const complain = useComplaint();
  const saving = useSaveProfile(project);
  const target = (useTargets(project).data ?? []).find(
    ({ model, profile }) => model === kit.target && profile === kit.profile,
  );
  const kept = useProfile(project, target !== undefined && target.narrows !== "" ? kit.profile : undefined).data;
  const own = kept !== undefined && kept.version > 0 ? kept : undefined;
  const field = FIELD[response.of];
  const what = WHAT[response.of];
  const correct = () => {
    if (own === undefined) return;
    const corrected = Math.round(own.stated[field] * response.factor * 1000) / 1000;
    saving.mutate(
      { stated: { ...own.stated, [field]: corrected }, version: own.version },
      {
        onSuccess: () => void message.success(`${own.stated.title} now takes ${what} to be shown × ${corrected}.`),
        onError: complain,
      },
    );
  };
  return (
    <Flex gap={10} align="center" className="small">
      <span>
        {what} is shown × <strong className="numbers">{response.factor.toFixed(2)}</strong>, told by{" "}
        {response.materials.slice(0, 3).join(", ")}
        {response.materials.length > 3 && ` and ${response.materials.length - 3} more`}.
      </span>
      {own !== undefined ? (
        <Button size="small" loading={saving.isPending} onClick={correct}>
          Correct it in “{own.stated.title}”
        </Button>
      ) : (
        <Button size="small" type="link" onClick={() => go("/targets")}>
          Make a target profile of your own to correct it
        </Button>
      )}
    </Flex>
  );
}
