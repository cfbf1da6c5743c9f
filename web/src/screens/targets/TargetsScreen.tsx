import { App, Button, Flex, Popconfirm, Typography, Upload } from "antd";
import { useState } from "react";
import { useDeleteProfile, useProfile, useReadProfile, useSaveProfile, useTargets } from "../../api/targets";
import type { Target, TargetProfile } from "../../api/types";
import { NameDialog } from "../../parts/NameDialog";
import { useComplaint } from "../../parts/useComplaint";
import { WhatIf } from "../../parts/WhatIf";
import { ProfileForm } from "./ProfileForm";
import "./targets.css";

/** A profile that is being written. version: of the kept one it was made from, 0 for a new one. */
interface Draft {
  stated: TargetProfile;
  version: number;
}

/** Target profiles: those that come with Fenrain and those of the project, to look at, change, share and make again. */
export function TargetsScreen({ project }: { project: number }) {
  const targets = useTargets(project).data ?? [];
  const profiles = targets.filter(({ narrows }) => narrows !== "");
  const [open, setOpen] = useState<string>();
  const [draft, setDraft] = useState<Draft>();
  const shown = draft === undefined ? (open ?? profiles[0]?.profile) : undefined;
  const kept = useProfile(project, shown).data;
  const show = (key: string) => {
    setDraft(undefined);
    setOpen(key);
  };
  const stated = draft?.stated ?? kept?.stated;
  return (
    <div className="screen screen-wide profiles">
      <ProfileList profiles={profiles} open={shown} show={show} hold={setDraft} />
      {stated !== undefined && (
        <section aria-label="Target profile">
          <ProfileBar
            project={project}
            draft={draft}
            stated={stated}
            version={draft?.version ?? kept?.version ?? 0}
            model={targets.find(({ key }) => key === stated.target)?.model ?? ""}
            known={profiles.map(({ profile }) => profile)}
            show={show}
            hold={setDraft}
          />
          <ProfileForm
            stated={stated}
            targets={targets}
            change={(changed) => setDraft({ stated: changed, version: draft?.version ?? kept?.version ?? 0 })}
          />
        </section>
      )}
    </div>
  );
}

interface ListProps {
  profiles: Target[];
  open: string | undefined;
  show: (key: string) => void;
  hold: (draft: Draft) => void;
}

function ProfileList({ profiles, open, show, hold }: ListProps) {
  const reading = useReadProfile();
  const complain = useComplaint();
  const take = (file: File) => {
    void file
      .text()
      .then((text) => reading.mutate(text, { onSuccess: (stated) => hold({ stated, version: 0 }), onError: complain }));
    return false;
  };
  return (
    <nav aria-label="Target profiles">
      <Typography.Title level={5} className="heading">
        Target profiles
      </Typography.Title>
      {profiles.map(({ profile, title, says }) => (
        <button
          key={profile}
          type="button"
          className={profile === open ? "profile-line chosen" : "profile-line"}
          aria-current={profile === open}
          onClick={() => show(profile)}
        >
          {title}
          <span className="block faded smaller">{says}</span>
        </button>
      ))}
      <Upload accept=".yaml,.yml,.json" showUploadList={false} beforeUpload={take}>
        <Button size="small">Read one from a file</Button>
      </Upload>
    </nav>
  );
}

interface BarProps {
  project: number;
  draft: Draft | undefined;
  stated: TargetProfile;
  version: number;
  /** Of what it narrows. */
  model: string;
  known: string[];
  show: (key: string) => void;
  hold: (draft: Draft | undefined) => void;
}

/** Save under its own name or a new one, take changes back, share, delete. */
function ProfileBar({ project, draft, stated, version, model, known, show, hold }: BarProps) {
  const { message } = App.useApp();
  const complain = useComplaint();
  const saving = useSaveProfile(project);
  const deleting = useDeleteProfile(project);
  const [naming, setNaming] = useState(false);
  const own = version > 0;
  const save = (made: TargetProfile, from: number) =>
    saving.mutate(
      { stated: made, version: from },
      {
        onSuccess: () => {
          setNaming(false);
          show(made.id);
          void message.success(`Saved “${made.title}”; what was converted to it is computed again.`);
        },
        onError: complain,
      },
    );
  const saveAs = (title: string) => save({ ...stated, title, id: idOf(title, known) }, 0);
  return (
    <Flex gap={8} align="center" wrap className="column-head">
      <Typography.Title level={4} className="heading">
        {stated.title}
      </Typography.Title>
      <span className="faded">{own ? "of this project" : "comes with Fenrain; saved under a name of your own"}</span>
      <Flex gap={6} className="end">
        {draft !== undefined && (
          <Button size="small" onClick={() => hold(undefined)}>
            Revert changes
          </Button>
        )}
        {draft === undefined && (
          <Button size="small" href={`/api/v1/projects/${project}/profiles/${stated.id}/file`}>
            Save to a file
          </Button>
        )}
        {own && draft === undefined && (
          <Popconfirm
            title="Delete the profile and what was converted to it?"
            onConfirm={() => deleting.mutate(stated.id, { onSuccess: () => show(known[0] ?? ""), onError: complain })}
          >
            <Button size="small">Delete</Button>
          </Popconfirm>
        )}
        <Button size="small" onClick={() => setNaming(true)}>
          Save as…
        </Button>
        {own && (
          <WhatIf
            project={project}
            target={{ model, profile: stated.id }}
            act={{ kind: "profile", name: stated.title, text: JSON.stringify(stated), version }}
            disabled={draft === undefined}
            begun={() => show(stated.id)}
          />
        )}
        {own && (
          <Button
            size="small"
            type="primary"
            disabled={draft === undefined}
            loading={saving.isPending}
            onClick={() => save(stated, version)}
          >
            Save
          </Button>
        )}
      </Flex>
      {naming && (
        <NameDialog
          title="Save the target profile"
          label="Name of the profile"
          start={own ? "" : `${stated.title}, ours`}
          ok="Save"
          pending={saving.isPending}
          close={() => setNaming(false)}
          take={saveAs}
        />
      )}
    </Flex>
  );
}

/** An id made of a title, none of those that are known. */
function idOf(title: string, known: string[]): string {
  const plain = title
    .normalize("NFKD")
    .toLowerCase()
    .replaceAll(/[^a-z0-9]+/g, "_")
    .replaceAll(/^[_0-9]+|_+$/g, "")
    .slice(0, 36);
  const id = plain === "" ? "own" : plain;
  const taken = new Set(known);
  let found = id;
  for (let count = 2; taken.has(found); count += 1) found = `${id}_${count}`;
  return found;
}
