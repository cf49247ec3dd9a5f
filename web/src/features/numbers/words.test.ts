import { describe, expect, it } from "vitest";
import { nameOf, sizeOf } from "./words";

const row = (first: string, last?: string) => ({ first, last, state: "active" as const });

describe("a row of the inventory", () => {
  it("is named by its number, and a block by the digits in which its last differs", () => {
    expect(nameOf(row("+448081570123"))).toBe("+448081570123");
    expect(nameOf(row("+442079460400", "+442079460499"))).toBe("+442079460400 – 99");
    expect(nameOf(row("+441914980100", "+441914980299"))).toBe("+441914980100 – 299");
    expect(nameOf(row("+442079460400", "+442079460401"))).toBe("+442079460400 – 01");
  });

  it("stands for as many numbers as lie between, and for none while it is typed wrong", () => {
    expect(sizeOf(row("+448081570123"))).toBe(1);
    expect(sizeOf(row("+441914980100", "+441914980299"))).toBe(200);
    expect(sizeOf(row("+441914980299", "+441914980100"))).toBe(0);
    expect(sizeOf(row("+", "+"))).toBe(1);
  });
});
