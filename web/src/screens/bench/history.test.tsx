import { render, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it, vi } from "vitest";
import type { Conversion } from "../../api/types";
import { InTestApp } from "../../InTestApp";
import { EditHistory } from "./EditHistory";

const edit = (act_id: number, kind: string, said: string, undone = false) => ({
  act_id,
  by: "Mira",
  kind,
  said,
  undone,
  created: "2026-01-01T10:00:00",
});

describe("the history of a conversion", () => {
  afterEach(() => vi.unstubAllGlobals());

  it("says who did what, takes one act back, and says which was on many", async () => {
    const past = [
      edit(9, "many", "specular_roughness set to 0.4"),
      edit(7, "hand", "base_color reset"),
      edit(5, "fit", "coat_weight set to 0.2", true),
    ];
    const sent: string[] = [];
    vi.stubGlobal("fetch", (request: Request) => {
      sent.push(`${request.method} ${new URL(request.url).pathname}`);
      return Promise.resolve(Response.json(request.method === "GET" ? past : {}));
    });
    const conversion = { id: 11, version: 4, name: "enamel" } as Conversion;
    render(
      <InTestApp known={[[["conversion", 11, "history", 4], past]]}>
        <EditHistory conversion={conversion} project={1} close={vi.fn()} />
      </InTestApp>,
    );
    expect(screen.getByText("undone")).toBeTruthy();
    expect(screen.getByText("Undo on all")).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: "Undo: base_color reset" }));
    expect(sent.filter((one) => one.startsWith("POST"))).toEqual(["POST /api/v1/acts/7/undo"]);
  });
});
