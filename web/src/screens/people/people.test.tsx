import { render, screen, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it, vi } from "vitest";
import { InTestApp } from "../../InTestApp";
import { AccountDialog } from "../../parts/AccountDialog";
import { PeopleScreen } from "./PeopleScreen";
import { keys } from "../../api/keys";

const ole = { id: 2, name: "Ole", role: "td", disabled: false, has_password: false };
const act = {
  id: 7,
  moment: "2026-01-01T10:00:00",
  by: "",
  act: "sign_in",
  place: "/api/v1/session",
  status: 401,
  source: "192.0.2.1",
  tried_as: "",
};

function server(answer: unknown): { path: string; method: string; body: unknown }[] {
  const sent: { path: string; method: string; body: unknown }[] = [];
  vi.stubGlobal("fetch", async (request: Request) => {
    if (request.method === "GET") return Response.json([]);
    const text = await request.text();
    sent.push({
      path: new URL(request.url).pathname,
      method: request.method,
      body: text === "" ? null : JSON.parse(text),
    });
    return Response.json(answer);
  });
  return sent;
}

describe("people", () => {
  afterEach(() => vi.unstubAllGlobals());
  const shown = () =>
    render(
      <InTestApp
        known={[
          [keys.people, [ole]],
          [keys.audit, [act]],
        ]}
      >
        <PeopleScreen />
      </InTestApp>,
    );

  it("gives an account, and shows the link that lets them in once", async () => {
    const sent = server({ person: { ...ole, name: "Tora" }, link: "secret" });
    shown();
    await userEvent.type(screen.getByLabelText("Name of somebody new"), "Tora");
    await userEvent.click(screen.getByRole("button", { name: "Give an account" }));
    expect(await screen.findByText(/\/enter#secret/)).toBeTruthy();
    expect(sent).toEqual([{ path: "/api/v1/people", method: "POST", body: { name: "Tora", role: "td" } }]);
  });

  it("puts somebody out without touching what they may do", async () => {
    const sent = server({ ...ole, disabled: true });
    shown();
    await userEvent.click(screen.getByRole("button", { name: "Put out" }));
    expect(sent).toEqual([{ path: "/api/v1/people/2/role", method: "PUT", body: { role: "td", disabled: true } }]);
  });

  it("says what was refused, and that nobody known asked for it", () => {
    server(null);
    shown();
    const done = within(screen.getByRole("region", { name: "What was done" }));
    expect(done.getByText("refused (401)")).toBeTruthy();
    expect(done.getByText("nobody who is known")).toBeTruthy();
  });
});

describe("one's own account", () => {
  afterEach(() => vi.unstubAllGlobals());
  const me = { name: "Ole", role: "td", has_password: true, by_link: false } as const;

  it("asks for the password before, but not of whoever came by a link", () => {
    server(null);
    const { rerender } = render(<AccountDialog me={me} close={vi.fn()} />, { wrapper: InTestApp });
    expect(screen.getByLabelText("The one you have now")).toBeTruthy();
    rerender(<AccountDialog me={{ ...me, by_link: true }} close={vi.fn()} />);
    expect(screen.queryByLabelText("The one you have now")).toBeNull();
  });

  it("shows the secret of a new token this once", async () => {
    const sent = server({ secret: "shown-once" });
    render(<AccountDialog me={me} close={vi.fn()} />, { wrapper: InTestApp });
    await userEvent.type(screen.getByLabelText("What the token is for"), "farm");
    await userEvent.click(screen.getByRole("button", { name: "Make one" }));
    expect(await screen.findByText("shown-once")).toBeTruthy();
    expect(sent).toEqual([{ path: "/api/v1/tokens", method: "POST", body: { name: "farm", days: 90 } }]);
  });
});
