import { Layout } from "antd";
import { lazy, Suspense, useEffect, type ComponentType } from "react";
import { Navigate, Route, Routes, useLocation, useParams } from "react-router";
import { useMe } from "./api/people";
import { useJobEvents } from "./api/jobs";
import { useProjects } from "./api/projects";
import type { Project } from "./api/types";
import { EngineNotice } from "./parts/EngineNotice";
import { Failure } from "./parts/Failure";
import { Header } from "./parts/Header";
import { placeOf } from "./parts/useGo";
import { EntranceScreen } from "./screens/entrance/EntranceScreen";

/** A screen that is loaded when it is first visited. */
function whenVisited<Props extends object>(load: () => Promise<ComponentType<Props>>) {
  return lazy(async () => ({ default: await load() }));
}

const BenchScreen = whenVisited(() => import("./screens/bench/BenchScreen").then(({ BenchScreen }) => BenchScreen));
const BoardScreen = whenVisited(() => import("./screens/board/BoardScreen").then(({ BoardScreen }) => BoardScreen));
const CompareScreen = whenVisited(() =>
  import("./screens/compare/CompareScreen").then(({ CompareScreen }) => CompareScreen),
);
const DeliverScreen = whenVisited(() =>
  import("./screens/deliver/DeliverScreen").then(({ DeliverScreen }) => DeliverScreen),
);
const DialectScreen = whenVisited(() =>
  import("./screens/dialects/DialectScreen").then(({ DialectScreen }) => DialectScreen),
);
const HelpScreen = whenVisited(() => import("./screens/help/HelpScreen").then(({ HelpScreen }) => HelpScreen));
const ManyScreen = whenVisited(() => import("./screens/many/ManyScreen").then(({ ManyScreen }) => ManyScreen));
const MapsScreen = whenVisited(() => import("./screens/maps/MapsScreen").then(({ MapsScreen }) => MapsScreen));
const OutsideScreen = whenVisited(() =>
  import("./screens/outside/OutsideScreen").then(({ OutsideScreen }) => OutsideScreen),
);
const PeopleScreen = whenVisited(() =>
  import("./screens/people/PeopleScreen").then(({ PeopleScreen }) => PeopleScreen),
);
const ReviewScreen = whenVisited(() =>
  import("./screens/review/ReviewScreen").then(({ ReviewScreen }) => ReviewScreen),
);
const TakeInScreen = whenVisited(() =>
  import("./screens/takein/TakeInScreen").then(({ TakeInScreen }) => TakeInScreen),
);
const TargetsScreen = whenVisited(() =>
  import("./screens/targets/TargetsScreen").then(({ TargetsScreen }) => TargetsScreen),
);

const KEPT = "fenrain.project";

/** The frame of every screen, and which screen an address shows: every address names its project. */
export function Pages() {
  const me = useMe();
  if (me.error !== null) return <Failure error={me.error} />;
  if (me.data === undefined) return null;
  return me.data === null ? <EntranceScreen /> : <ForWhoIsIn />;
}

function ForWhoIsIn() {
  const projects = useProjects();
  if (projects.error !== null) return <Failure error={projects.error} />;
  if (projects.data === undefined) return null;
  if (projects.data.length === 0) return <Header projects={[]} project={undefined} />;
  return (
    <Routes>
      <Route path="/projects/:project/*" element={<OfProject projects={projects.data} />} />
      <Route path="*" element={<ToLastProject projects={projects.data} />} />
    </Routes>
  );
}

/** An address without a project, or with one that is gone, is taken for one of the project that was worked on last in this browser. */
function ToLastProject({ projects, place }: { projects: Project[]; place?: string }) {
  const { pathname, search } = useLocation();
  const last = projects.find(({ id }) => id === Number(localStorage.getItem(KEPT))) ?? projects[0];
  return <Navigate to={placeOf(place ?? pathname, last?.id) + search} replace />;
}

function OfProject({ projects }: { projects: Project[] }) {
  const id = Number(useParams()["project"]);
  const project = projects.find((candidate) => candidate.id === id);
  useJobEvents(project?.id);
  useEffect(() => {
    if (project !== undefined) localStorage.setItem(KEPT, String(project.id));
  }, [project]);
  if (project === undefined) return <ToLastProject projects={projects} place="/board" />;
  return (
    <Layout className="page">
      <Header projects={projects} project={project} />
      <EngineNotice />
      <Layout.Content className="page-content">
        <Suspense>
          <Routes>
            <Route path="take-in" element={<TakeInScreen project={id} />} />
            <Route path="board" element={<BoardScreen project={id} />} />
            <Route path="bench/:conversion" element={<BenchScreen project={id} />} />
            <Route path="maps/:conversion" element={<MapsScreen project={id} />} />
            <Route path="compare/:material" element={<CompareScreen project={id} />} />
            <Route path="dialects" element={<DialectScreen project={id} />} />
            <Route path="targets" element={<TargetsScreen project={id} />} />
            <Route path="review" element={<ReviewScreen project={id} />} />
            <Route path="outside" element={<OutsideScreen project={id} />} />
            <Route path="change" element={<ManyScreen project={id} />} />
            <Route path="people" element={<PeopleScreen />} />
            <Route path="help/:topic?" element={<HelpScreen project={id} />} />
            <Route path="deliver" element={<DeliverScreen project={id} />} />
            <Route
              path="*"
              element={<Navigate to={placeOf(project.materials > 0 ? "/board" : "/take-in", id)} replace />}
            />
          </Routes>
        </Suspense>
      </Layout.Content>
    </Layout>
  );
}
