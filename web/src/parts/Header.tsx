import { App, Badge, Button, Flex, Input, Layout, Modal, Select } from "antd";
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { NavLink, useNavigate } from "react-router";
import { client, unwrap, type Schemas } from "../api/client";
import { keys, useJobs } from "../api/queries";
import { faces, palette } from "../theme";
import { JobDrawer } from "./JobDrawer";
import { explain } from "./Failure";

type Project = Schemas["ProjectOut"];
const PLACES = [["/take-in", "Take in"], ["/board", "Board"], ["/deliver", "Deliver"], ["/dialects", "Dialects"]] as const;
const NEW = 0;

interface Props {
  projects: Project[];
  project: Project | undefined;
  choose: (id: number) => void;
}

/** Wordmark, the places in the order of the work, the project, and the jobs. */
export function Header({ projects, project, choose }: Props) {
  const [naming, setNaming] = useState(projects.length === 0);
  const options = [...projects.map(({ id, name }) => ({ value: id, label: name })), { value: NEW, label: "New project…" }];
  return (
    <Layout.Header style={{ display: "flex", alignItems: "center", gap: 28, borderBottom: `1px solid ${palette.rule}`, lineHeight: "normal" }}>
      <NavLink to="/board" aria-label="Fenrain, to the board" style={{ fontFamily: faces.text, fontWeight: 750, fontSize: 19, letterSpacing: "0.01em", color: palette.ink }}>
        fen<span style={{ color: palette.accent }}>rain</span>
      </NavLink>
      <nav aria-label="Places" style={{ display: "flex", gap: 4 }}>
        {PLACES.map(([to, label]) => <Place key={to} to={to} label={label} />)}
      </nav>
      <Flex gap={12} align="center" style={{ marginLeft: "auto" }}>
        <Select aria-label="Project" value={project?.id ?? NEW} options={options} style={{ width: 250 }} onChange={(id) => (id === NEW ? setNaming(true) : choose(id))} />
        {project !== undefined && <JobButton project={project.id} />}
      </Flex>
      <NewProject open={naming} close={() => setNaming(false)} choose={choose} />
    </Layout.Header>
  );
}

function Place({ to, label }: { to: string; label: string }) {
  return (
    <NavLink to={to} style={({ isActive }) => ({ padding: "13px 12px 12px", color: isActive ? palette.ink : palette.faded, fontWeight: isActive ? 650 : 450, borderBottom: `2px solid ${isActive ? palette.accent : "transparent"}` })}>
      {label}
    </NavLink>
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
        <Button onClick={() => setOpen(true)} aria-label="Jobs" className="numbers">{busy.length > 0 ? `Jobs ${done}/${total}` : "Jobs"}</Button>
      </Badge>
      <JobDrawer open={open} close={() => setOpen(false)} jobs={jobs} project={project} />
    </>
  );
}

function NewProject({ open, close, choose }: { open: boolean; close: () => void; choose: (id: number) => void }) {
  const { message } = App.useApp();
  const queries = useQueryClient();
  const navigate = useNavigate();
  const [name, setName] = useState("");
  const create = async () => {
    try {
      const made = await unwrap(client.POST("/api/v1/projects", { body: { name } }));
      await queries.invalidateQueries({ queryKey: keys.projects });
      choose(made.id);
      close();
      setName("");
      await navigate("/take-in");
    } catch (error) {
      void message.error(explain(error));
    }
  };
  return (
    <Modal title="New project" open={open} onCancel={close} onOk={() => void create()} okText="Create" okButtonProps={{ disabled: name.trim() === "" }}>
      <Input aria-label="Name of the project" value={name} onChange={(event) => setName(event.target.value)} onPressEnter={() => void create()} autoFocus />
    </Modal>
  );
}
