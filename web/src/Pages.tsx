import { Layout } from "antd";
import { Navigate, Route, Routes } from "react-router";
import { useJobEvents, useProjects } from "./api/queries";
import { EngineNotice } from "./parts/EngineNotice";
import { Failure } from "./parts/Failure";
import { Header } from "./parts/Header";
import { BenchScreen } from "./screens/bench/BenchScreen";
import { BoardScreen } from "./screens/board/BoardScreen";
import { CompareScreen } from "./screens/compare/CompareScreen";
import { DeliverScreen } from "./screens/deliver/DeliverScreen";
import { DialectScreen } from "./screens/dialects/DialectScreen";
import { TakeInScreen } from "./screens/takein/TakeInScreen";
import { useChosenProject } from "./useChosenProject";

/** The frame of every screen, and which screen an address shows. */
export function Pages() {
  const projects = useProjects();
  const [project, choose] = useChosenProject(projects.data);
  useJobEvents(project?.id);
  if (projects.error !== null) return <Failure error={projects.error} />;
  if (project === undefined) {
    return projects.data === undefined ? null : <Header projects={[]} project={undefined} choose={choose} />;
  }
  return (
    <Layout className="page">
      <Header projects={projects.data ?? []} project={project} choose={choose} />
      <EngineNotice />
      <Layout.Content className="page-content">
        <Routes>
          <Route path="/" element={<Navigate to={project.materials > 0 ? "/board" : "/take-in"} replace />} />
          <Route path="/take-in" element={<TakeInScreen project={project.id} />} />
          <Route path="/board" element={<BoardScreen project={project.id} />} />
          <Route path="/bench/:conversion" element={<BenchScreen project={project.id} />} />
          <Route path="/compare/:material" element={<CompareScreen project={project.id} />} />
          <Route path="/dialects" element={<DialectScreen />} />
          <Route path="/deliver" element={<DeliverScreen project={project.id} />} />
          <Route path="*" element={<Navigate to="/board" replace />} />
        </Routes>
      </Layout.Content>
    </Layout>
  );
}
