import { describe, expect, test } from "vitest";
import { stages, stopAt } from "./stages";

describe("stages", () => {
  test("each has a letter of its own, and each stop an address of its own", () => {
    expect(new Set(stages.map((s) => s.letter)).size).toBe(stages.length);
    const paths = stages.flatMap((s) => s.stops.flatMap((stop) => [stop.path, ...(stop.also ?? [])]));
    expect(new Set(paths).size).toBe(paths.length);
  });

  test("a page belongs to the stop with the longest address", () => {
    const at = (path: string) => {
      const found = stopAt(path);
      return found && `${found.stage.name}: ${found.stop.name}`;
    };
    expect(at("/network")).toBe("Connect: Network");
    expect(at("/trunks/ostrel")).toBe("Connect: Trunks");
    expect(at("/plan/trunks/ostrel")).toBe("Connect: Trunks");
    expect(at("/plan/farEnds/new")).toBe("Connect: Switches and far ends");
    expect(at("/plan/destinations/operator")).toBe("Route: Paths and destinations");
    expect(at("/plan/callerGroups/crew")).toBe("Route: Permissions");
    expect(at("/calls/1")).toBe("Trace: Call records");
    expect(at("/callsign")).toBeUndefined();
  });
});
