import { cleanup, render, screen } from "@testing-library/react";
import { afterEach, describe, expect, it } from "vitest";
import { Problem, retryable, take } from "@/api/client";
import { ago, seconds } from "@/lib/time";
import { Field } from "./controls";
import { Failure } from "./feedback";
import { NumberTiles, Tiles } from "./Tiles";

afterEach(cleanup);

describe("Tiles", () => {
  it("has a tile for every symbol, marked by its fate, and says it in words", () => {
    render(
      <Tiles
        runs={[
          { text: "0", fate: "dropped" },
          { text: "+44", fate: "added" },
          { text: "19", fate: "kept" },
        ]}
      />,
    );
    const row = screen.getByRole("img", { name: "dropped 0, added +44, 19" });
    expect([...row.children].map((c) => [c.textContent, c.getAttribute("data-fate")])).toEqual([
      ["0", "dropped"],
      ["+", "added"],
      ["4", "added"],
      ["4", "added"],
      ["1", "kept"],
      ["9", "kept"],
    ]);
  });

  it("says that nothing was dialled", () => {
    render(<NumberTiles number="" />);
    expect(screen.getByText("no digits")).toBeTruthy();
  });
});

describe("Problem", () => {
  const problem = new Problem(422, {
    detail: "not saved",
    errors: [
      { location: "match/called", message: "bad" },
      { location: "called/0/count", message: "too few" },
      { location: "called/1/form", message: "unknown" },
    ],
  });
  it("finds what is wrong at a field and below it", () => {
    expect(problem.at("match/called")).toBe("bad");
    expect(problem.at("called")).toBe("too few; unknown");
    expect(problem.at("caller")).toBeUndefined();
  });
  it("is shown with its places", () => {
    render(<Failure error={problem} />);
    expect(screen.getByRole("alert").textContent).toContain("not saved");
    expect(screen.getByRole("alert").textContent).toMatch(/bad/);
    expect(screen.getByRole("alert").textContent).not.toContain("match/called");
  });
});

describe("take", () => {
  it("returns data and throws problems", async () => {
    const ok = new Response("{}", { status: 200 });
    await expect(take(Promise.resolve({ data: 5, response: ok }))).resolves.toBe(5);
    const bad = new Response("{}", { status: 409 });
    await expect(take(Promise.resolve({ error: { detail: "moved" }, response: bad }))).rejects.toMatchObject({
      status: 409,
      message: "moved",
    });
    await expect(take(Promise.reject(new TypeError("failed")))).rejects.toThrow("is not reachable");
  });
  it("asks again only for what may pass by itself", () => {
    expect(retryable(new Problem(503))).toBe(true);
    expect(retryable(new Problem(0))).toBe(true);
    expect(retryable(new Problem(404))).toBe(false);
    expect(retryable(new Error("x"))).toBe(false);
  });
});

describe("Field", () => {
  it("ties an error to its input", () => {
    render(
      <Field label="Dial" error="no number">
        {(p) => <input {...p} />}
      </Field>,
    );
    const input = screen.getByLabelText("Dial");
    expect(input.getAttribute("aria-invalid")).toBe("true");
    expect(document.getElementById(input.getAttribute("aria-describedby") ?? "")?.textContent).toBe(
      "no number",
    );
  });
});

describe("time", () => {
  const now = Date.parse("2026-11-23T12:00:00Z");
  it.each([
    ["2026-11-23T11:59:58Z", "2 s ago"],
    ["2026-11-23T11:57:00Z", "3 min ago"],
    ["2026-11-23T07:00:00Z", "5 h ago"],
    ["2026-11-20T12:00:00Z", "3 d ago"],
    ["2026-11-23T12:00:05Z", "0 s ago"],
  ])("%s is %s", (iso, want) => expect(ago(iso, now)).toBe(want));
  it("says spans in fitting units", () =>
    expect([seconds(12), seconds(2400), seconds(61_000)]).toEqual(["12 ms", "2.40 s", "61.0 s"]));
});
