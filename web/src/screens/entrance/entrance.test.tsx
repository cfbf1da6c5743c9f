import { render, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it, vi } from "vitest";
import { keys } from "../../api/keys";
import { InTestApp } from "../../InTestApp";
import { Pages } from "../../Pages";

const nobody = { code: "not-signed-in", detail: "This link lets nobody in any more.", remedy: "Ask for a new one." };
const mira = { name: "Mira", role: "supervisor", has_password: false, by_link: true };

function server(signIn: () => Response): unknown[] {
  const sent: unknown[] = [];
  vi.stubGlobal("fetch", async (request: Request) => {
    if (request.method !== "POST") return Response.json([]);
    sent.push(await request.json());
    return signIn();
  });
  return sent;
}

const shown = (at: string) =>
  render(
    <InTestApp known={[[keys.me, null]]} at={at}>
      <Pages />
    </InTestApp>,
  );

describe("the entrance", () => {
  afterEach(() => vi.unstubAllGlobals());

  it("takes the secret of a one-time link once, and lets in", async () => {
    const sent = server(() => Response.json(mira));
    shown("/enter#secret-of-a-link");
    await screen.findByText("New project");
    expect(sent).toEqual([{ name: "", password: "", link: "secret-of-a-link" }]);
  });

  it("says what to do with a link that was used, and takes name and password instead", async () => {
    const sent = server(() => Response.json(nobody, { status: 401 }));
    shown("/enter#used");
    expect((await screen.findByRole("alert")).textContent).toContain("Ask for a new one.");
    await userEvent.type(screen.getByLabelText("Name"), "Mira");
    await userEvent.type(screen.getByLabelText("Password"), "seven willows");
    await userEvent.click(screen.getByRole("button", { name: /Sign in/ }));
    await vi.waitFor(() => expect(sent).toHaveLength(2));
    expect(sent[1]).toEqual({ name: "Mira", password: "seven willows", link: "" });
  });

  it("is where one is after signing out, with nothing left of what was loaded", async () => {
    vi.stubGlobal(
      "EventSource",
      class {
        addEventListener = vi.fn();
        close = vi.fn();
      },
    );
    vi.stubGlobal("fetch", (request: Request) =>
      Promise.resolve(request.method === "DELETE" ? new Response(null, { status: 204 }) : Response.json([])),
    );
    const project = { id: 1, name: "secret project", materials: 0, rigs: [], tolerances: {} };
    render(
      <InTestApp known={[[keys.projects, [project]]]} at="/projects/1/people">
        <Pages />
      </InTestApp>,
    );
    await userEvent.click(screen.getByRole("button", { name: "Signed in as Anders" }));
    await userEvent.click(await screen.findByText("Sign out"));
    expect(await screen.findByRole("button", { name: /Sign in/ })).toBeTruthy();
    expect(screen.queryByText("secret project")).toBeNull();
  });

  it("stands before everything while nobody is signed in", () => {
    server(() => Response.json(nobody, { status: 401 }));
    render(
      <InTestApp
        known={[
          [keys.me, null],
          [keys.projects, [{ id: 1, name: "secret project" }]],
        ]}
        at="/projects/1/board"
      >
        <Pages />
      </InTestApp>,
    );
    expect(screen.getByRole("button", { name: /Sign in/ })).toBeTruthy();
    expect(screen.queryByText("secret project")).toBeNull();
  });
});
