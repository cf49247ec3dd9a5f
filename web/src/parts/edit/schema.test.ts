import { describe, expect, test } from "vitest";
import schema from "../../../../docs/plan.schema.json";
import { type Definition, faultsOf } from "./schema";

const trunk = {
  id: "a",
  name: "A",
  switch: "s",
  channels: 1,
  in: {},
  out: { called: {}, caller: {} },
  link: { sip: {} },
};

describe("an object is judged by the plan's schema", () => {
  test("one that follows it has no faults", async () => {
    expect(await faultsOf("Trunk", trunk)).toEqual({});
    expect(await faultsOf("Trunk", { ...trunk, note: undefined })).toEqual({});
  });

  test("a fault stands at its place, however deep, with what the schema asks for", async () => {
    const sip = { optionsIntervalSeconds: 1e9, transport: "x" };
    expect(await faultsOf("Trunk", { ...trunk, channels: 0, link: { sip } })).toEqual({
      channels: "At least 1",
      "link/sip/optionsIntervalSeconds": "At most 3600",
      "link/sip/transport": "One of udp, tcp, tls",
    });
  });

  // A campaign over the schema itself: each number with a limit, one beyond it.
  const limited = Object.entries(schema.$defs).flatMap(([of, definition]) =>
    Object.entries((definition as { properties?: Record<string, { maximum?: number }> }).properties ?? {})
      .filter(([, p]) => p.maximum !== undefined)
      .map(([name, p]) => [of, name, p.maximum as number] as const),
  );
  test.each(limited)("%s.%s is at most %i", async (of, name, most) => {
    expect((await faultsOf(of as Definition, { [name]: most }))[name]).toBeUndefined();
    expect((await faultsOf(of as Definition, { [name]: most + 1 }))[name]).toBe(`At most ${most}`);
  });
});
