import { Badge, Button, Dropdown, Flex, Layout, Select } from "antd";
import { useState } from "react";
import { NavLink } from "react-router";
import { useJobs } from "../api/jobs";
import { useNewProject } from "../api/projects";
import type { Project } from "../api/types";
import { useMay, useMe, useSignOut } from "../api/people";
import { AccountDialog } from "./AccountDialog";
import { JobDrawer } from "./JobDrawer";
import { NameDialog } from "./NameDialog";
import { useComplaint } from "./useComplaint";
import { placeOf, useGo } from "./useGo";

const PLACES = [
  ["/take-in", "Import"],
  ["/board", "Board"],
  ["/review", "Review"],
  ["/outside", "Outside"],
  ["/deliver", "Deliver"],
  ["/dialects", "Dialects"],
  ["/targets", "Targets"],
  ["/help", "Help"],
] as const;
const NEW = 0;

interface Props {
  projects: Project[];
  project: Project | undefined;
}

/** Wordmark, the places in the order of the work, the project, and the jobs. */
export function Header({ projects, project }: Props) {
  const go = useGo();
  const [naming, setNaming] = useState(projects.length === 0);
  const options = [
    ...projects.map(({ id, name }) => ({ value: id, label: name })),
    { value: NEW, label: "New project…" },
  ];
  return (
    <Layout.Header className="header">
      <NavLink to={placeOf("/board", project?.id)} aria-label="Fenrain, to the board" className="wordmark">
        fen<span>rain</span>
      </NavLink>
      <nav aria-label="Places">
        <Flex gap={4}>
          {PLACES.map(([to, label]) => (
            <NavLink
              key={to}
              to={placeOf(to, project?.id)}
              className={({ isActive }) => (isActive ? "place active" : "place")}
            >
              {label}
            </NavLink>
          ))}
        </Flex>
      </nav>
      <Flex gap={12} align="center" className="end">
        <Select
          aria-label="Project"
          popupMatchSelectWidth={false}
          value={project?.id ?? NEW}
          options={options}
          onChange={(id) => (id === NEW ? setNaming(true) : go("/board", { project: id }))}
        />
        {project !== undefined && <JobButton project={project.id} />}
        <MeButton project={project?.id} />
      </Flex>
      {naming && <NewProject close={() => setNaming(false)} />}
    </Layout.Header>
  );
}

function JobButton({ project }: { project: number }) {
  const [open, setOpen] = useState(false);
  const jobs = useJobs(project).data ?? [];
  const busy = jobs.filter((job) => job.state === "queued" || job.state === "running");
  const done = busy.reduce((sum, job) => sum + job.done + job.failed, 0);
  const total = busy.reduce((sum, job) => sum + job.total, 0);
  return (
    <>
      <Badge count={jobs.filter((job) => job.state === "failed").length} size="small">
        <Button onClick={() => setOpen(true)} className="numbers">
          {busy.length > 0 ? `Jobs ${done}/${total}` : "Jobs"}
        </Button>
      </Badge>
      <JobDrawer open={open} close={() => setOpen(false)} jobs={jobs} project={project} />
    </>
  );
}

/** Who is signed in, and what concerns them alone. */
function MeButton({ project }: { project: number | undefined }) {
  const me = useMe().data;
  const lets = useMay("supervisor");
  const [open, setOpen] = useState(false);
  const signOut = useSignOut();
  const complain = useComplaint();
  const go = useGo();
  if (me == null) return null;
  const items = [
    { key: "account", label: "Password and tokens…", onClick: () => setOpen(true) },
    ...(lets && project !== undefined ? [{ key: "people", label: "People", onClick: () => go("/people") }] : []),
    { key: "leave", label: "Sign out", onClick: () => signOut.mutate(undefined, { onError: complain }) },
  ];
  return (
    <>
      <Dropdown menu={{ items }} trigger={["click"]}>
        <Button type="text" aria-label={`Signed in as ${me.name}`} className="me">
          <span className="one-line">{me.name}</span>
        </Button>
      </Dropdown>
      {open && <AccountDialog me={me} close={() => setOpen(false)} />}
    </>
  );
}

function NewProject({ close }: { close: () => void }) {
  const go = useGo();
  const make = useNewProject();
  const complain = useComplaint();
  const create = (name: string) =>
    make.mutate(name, {
      onSuccess: (made) => {
        close();
        go("/take-in", { project: made.id });
      },
      onError: complain,
    });
  return <NameDialog title="New project" label="Name of the project" ok="Create" close={close} take={create} />;
}
