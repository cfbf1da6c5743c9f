import { render, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { beforeEach, describe, expect, it, vi } from "vitest";
import { keys } from "../api/keys";
import type { Job } from "../api/types";
import { InTestApp } from "../InTestApp";
import { useLocation } from "react-router";
import { Header } from "./Header";
import { JobDrawer } from "./JobDrawer";

const job: Job = {
  id: 7,
  project_id: 1,
  kind: "convert",
  title: "Convert 24 to open_pbr and check",
  by: "Mira",
  state: "running",
  seconds_left: 200,
  total: 24,
  done: 6,
  failed: 0,
  errors: [],
  archive: null,
  report: null,
  folder: "",
  validations: [],
  files: [],
  created: "",
  updated: "",
};
const project = { id: 1, name: "Heron Lode" };

let sent: string[] = [];

function Place() {
  return <span data-testid="place">{useLocation().pathname}</span>;
}

function show(element: React.ReactElement, jobs: Job[] = []) {
  render(<InTestApp known={[[keys.jobs(1), jobs]]}>{element}</InTestApp>);
}

describe("jobs", () => {
  beforeEach(() => {
    sent = [];
    vi.stubGlobal(
      "fetch",
      vi.fn((request: Request) => {
        sent.push(`${request.method} ${new URL(request.url).pathname}`);
        return Promise.resolve(Response.json(job));
      }),
    );
  });

  it("say how far they are, for whom and how long yet, and can be paused and cancelled", async () => {
    show(<JobDrawer open close={vi.fn()} jobs={[job]} project={1} />);
    expect(screen.getByText("at work: 6 of 24, about 3 min left · Mira")).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: "Pause" }));
    await userEvent.click(screen.getByRole("button", { name: "Cancel" }));
    expect(sent).toContain("POST /api/v1/jobs/7/pause");
    expect(sent).toContain("POST /api/v1/jobs/7/cancel");
  });

  it("that are paused go on where they stopped", async () => {
    show(<JobDrawer open close={vi.fn()} jobs={[{ ...job, state: "paused", seconds_left: null }]} project={1} />);
    expect(screen.getByText("paused: 6 of 24 · Mira")).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: "Go on" }));
    expect(sent).toContain("POST /api/v1/jobs/7/resume");
  });

  it("say what failed and why, and can be taken up again", async () => {
    show(
      <JobDrawer
        open
        close={vi.fn()}
        jobs={[
          { ...job, state: "failed", seconds_left: null, done: 23, failed: 1, errors: ["brick: the map is damaged"] },
        ]}
        project={1}
      />,
    );
    expect(screen.getByText("done, with failures: 23 of 24, 1 failed · Mira")).toBeTruthy();
    expect(screen.getByText("brick: the map is damaged")).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: "Take up again" }));
    expect(sent).toContain("POST /api/v1/jobs/7/resume");
  });

  it("that are done ask for nothing", () => {
    show(
      <JobDrawer open close={vi.fn()} jobs={[{ ...job, state: "done", seconds_left: null, done: 24 }]} project={1} />,
    );
    expect(screen.getByText("done: 24 of 24 · Mira")).toBeTruthy();
    expect(screen.queryByRole("button", { name: /Cancel|Take up/ })).toBeNull();
  });

  it("are summed up in the header while they run", () => {
    show(<Header projects={[project] as never} project={project as never} />, [
      job,
      { ...job, id: 8, state: "queued", total: 2, done: 0 },
      { ...job, id: 9, state: "done" },
    ]);
    expect(screen.getByRole("button", { name: /^Jobs/ }).textContent).toBe("Jobs 6/26");
  });
});

describe("the header", () => {
  it("names the places in the order of the work", () => {
    show(<Header projects={[project] as never} project={project as never} />);
    const places = screen.getByRole("navigation", { name: "Places" });
    expect([...places.querySelectorAll("a")].map((link) => link.textContent)).toEqual([
      "Import",
      "Board",
      "Review",
      "Outside",
      "Deliver",
      "Dialects",
      "Targets",
      "Help",
    ]);
  });

  it("asks for a project where there is none, and goes on with it", async () => {
    vi.stubGlobal(
      "fetch",
      vi.fn(() => Promise.resolve(Response.json({ id: 3, name: "Sluice", tolerances: {} }, { status: 201 }))),
    );
    show(
      <>
        <Header projects={[]} project={undefined} />
        <Place />
      </>,
    );
    expect(screen.getByRole("button", { name: "Create" }).hasAttribute("disabled")).toBe(true);
    await userEvent.type(screen.getByLabelText("Name of the project"), "Sluice");
    await userEvent.click(screen.getByRole("button", { name: "Create" }));
    await vi.waitFor(() => expect(screen.getByTestId("place").textContent).toBe("/projects/3/take-in"));
  });

  it("says why a project could not be made", async () => {
    const problem = {
      type: "urn:fenrain:problem:storage",
      title: "",
      status: 507,
      detail: "The disk is full.",
      code: "storage",
      place: "",
      remedy: "Make room.",
    };
    vi.stubGlobal(
      "fetch",
      vi.fn(() =>
        Promise.resolve(
          Response.json(problem, { status: 507, headers: { "content-type": "application/problem+json" } }),
        ),
      ),
    );
    show(
      <>
        <Header projects={[]} project={undefined} />
        <Place />
      </>,
    );
    await userEvent.type(screen.getByLabelText("Name of the project"), "Sluice{Enter}");
    expect(await screen.findByText(/The disk is full/)).toBeTruthy();
    expect(screen.getByTestId("place").textContent).toBe("/");
  });
});
