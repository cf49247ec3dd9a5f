import { readFileSync } from "node:fs";
import path from "node:path";
import type { APIRequestContext, Page } from "@playwright/test";
import { expect, test } from "../demo";
import { Figures, timed } from "./figures";

/** Fifty tables of two hundred rules behind codes of three digits, and the demo beside them. */
function manyTables(): string {
  const plan = JSON.parse(readFileSync(path.resolve(import.meta.dirname, "../../internal/demo/skerry-line.json"), "utf8"));
  const codes = plan.tables[0].rules;
  for (let t = 0; t < 50; t++) {
    const code = `6${String(t).padStart(2, "0")}`;
    codes.unshift({
      id: `code-${t}`,
      name: `Code ${code}`,
      match: { called: `${code}x.` },
      calledSteps: [{ op: "remove-first", count: 3 }],
      then: { table: `many-${t}` },
    });
    plan.tables.push({
      id: `many-${t}`,
      name: `Numbers behind ${code}`,
      switch: "quay",
      format: "as-dialled",
      order: t % 2 ? "specific-first" : "as-listed",
      rules: Array.from({ length: 200 }, (_, r) => ({
        id: `many-${t}-${r}`,
        name: `Place ${t} ${r}`,
        match: { called: `0${String(100 + r)}${t % 10}xxxxx${r % 3 ? "" : "x."}` },
        calledSteps: [{ op: "interpret-as", format: "national" }],
        then: { path: "national" },
      })),
    });
  }
  return JSON.stringify(plan);
}

test("ten thousand rules in fifty tables", async ({ signedIn: page, demo }) => {
  const figures = new Figures();
  const api = page.request;
  const origin = demo.url;
  const send = async (method: "POST" | "PUT", where: string, data: unknown) => {
    const answer = await api.fetch(`${demo.url}${where}`, { method, data, headers: { origin } });
    expect(answer.ok(), `${method} ${where}: ${answer.status()} ${answer.ok() ? "" : await answer.text()}`).toBe(true);
    return answer.json();
  };
  await send("PUT", "/api/draft", JSON.parse(manyTables()));
  await goLive(api, send, demo.url, "fifty tables");

  const pick = (i: number) => ({ table: `many-${(i * 7) % 50}`, rule: `many-${(i * 7) % 50}-${(i * 37) % 200}` });
  const effects: number[] = [];
  const saves: number[] = [];
  for (let i = 0; i < 60; i++) {
    const { table, rule } = pick(i);
    const [, t, r] = rule.split("-").map(Number);
    const edited = {
      id: rule,
      name: `Place ${t} ${r}, edited`,
      match: { called: `0${100 + (r ?? 0)}${(t ?? 0) % 10}xxxxx` },
      calledSteps: [{ op: "interpret-as", format: "national" }],
      then: { path: "mobile" },
      note: `edit ${i}`,
    };
    await timed(effects, () => send("POST", "/api/draft/effect", { table, rule: edited }));
    await timed(saves, () => send("PUT", "/api/draft/rules", { table, rule: edited }));
  }
  figures.times("the effect of a rule, while it is edited", effects);
  figures.times("a rule saved", saves);

  for (const [what, plan] of [
    ["a number tried dry by the live plan", "live"],
    ["a number tried dry by the draft", "draft"],
  ] as const) {
    const times: number[] = [];
    for (let i = 0; i < 100; i++) {
      const dial = `6${String(i % 50).padStart(2, "0")}0${100 + i}${i % 10}12345`;
      await timed(times, () => send("POST", "/api/test-calls", { mode: "dry", plan, from: "2150", called: dial }));
    }
    figures.times(what, times);
  }
  const keys: number[] = [];
  for (let i = 0; i < 10; i++) {
    const number = `6${String(i * 5).padStart(2, "0")}0${100 + i}${(i * 5) % 10}123456`;
    for (let k = 1; k <= number.length; k++) {
      await timed(keys, () => send("POST", "/api/collected-digits", { plan: "draft", from: "2150", typed: number.slice(0, k) }));
    }
  }
  figures.times("a key pressed, digit by digit, all ten thousand rules within reach", keys);
  const found: number[] = [];
  for (let i = 0; i < 50; i++) {
    await timed(found, () => api.get(`${demo.url}/api/draft/tables/many-${i}/findings`));
  }
  figures.times("the findings of a table", found);

  await scroll(page, demo.url, figures);
  await liveWhileCalling(page, send, demo.url, figures);
  figures.print();
});

type Send = (method: "POST" | "PUT", where: string, data: unknown) => Promise<unknown>;

async function goLive(api: APIRequestContext, send: Send, url: string, note: string) {
  const changes = await (await api.get(`${url}/api/changes`)).json();
  await send("POST", "/api/live", { version: changes.version, note });
}

/** The longest task of the page while the rules of a table are scrolled, and the finder's answer. */
async function scroll(page: Page, url: string, figures: Figures) {
  await page.goto(`${url}/routing/many-3`);
  await expect(page.getByRole("region", { name: /^Rules/ }).getByRole("status").first()).toHaveText("200");
  await page.waitForTimeout(2000);
  await page.evaluate(() => {
    const tasks: number[] = [];
    new PerformanceObserver((list) => tasks.push(...list.getEntries().map((e) => e.duration))).observe({ type: "longtask" });
    Object.assign(window, { tasks });
  });
  await page.mouse.move(600, 400);
  for (let i = 0; i < 60; i++) {
    await page.mouse.wheel(0, i < 40 ? 400 : -600);
    await page.waitForTimeout(30);
  }
  const tasks = await page.evaluate(() => (window as unknown as { tasks: number[] }).tasks);
  figures.say("tasks of the page over 50 ms while 200 rules are scrolled", `${tasks.length}${tasks.length ? `, the longest ${Math.max(...tasks)} ms` : ""}`);

  const searches: number[] = [];
  await page.keyboard.press("Control+k");
  const field = page.getByPlaceholder("Find a view, object");
  for (let i = 0; i < 20; i++) {
    const name = `Place ${i} ${100 + i}`;
    await field.fill("");
    await timed(searches, async () => {
      await field.fill(name);
      await page.getByRole("option", { name }).first().waitFor();
    });
  }
  figures.times("a rule found by its name among ten thousand, in the browser", searches);
  await page.keyboard.press("Escape");

  const opened: number[] = [];
  for (let i = 0; i < 20; i++) {
    // Within the page: from the click to the second frame after it, without the driver's own time.
    const took = await page.evaluate(async (n) => {
      const start = performance.now();
      document.querySelectorAll<HTMLElement>("[data-row]")[n]?.click();
      await new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(done)));
      return performance.now() - start;
    }, i % 8);
    opened.push(took);
    await page.waitForTimeout(200);
  }
  figures.times("a rule opened for editing, in the browser", opened);
}

/** One rule goes live while calls are placed: how long that takes, and what becomes of the calls. */
async function liveWhileCalling(page: Page, send: Send, url: string, figures: Figures) {
  const api = page.request;
  let calling = true;
  const ids: string[] = [];
  const caller = (async () => {
    while (calling) {
      const tried = (await send("POST", "/api/test-calls", { mode: "live", plan: "live", from: "2150", called: "901914980850", talkSeconds: 1 })) as { id: string };
      ids.push(tried.id);
      await page.waitForTimeout(100);
    }
  })();
  const times: number[] = [];
  for (let i = 0; i < 10; i++) {
    await send("PUT", "/api/draft/rules", {
      table: `many-${i}`,
      rule: { id: `many-${i}-5`, name: `Gone live ${i}`, match: { called: "0105x." }, calledSteps: [{ op: "interpret-as", format: "national" }], then: { path: "national" } },
    });
    await timed(times, () => goLive(api, send, url, `change ${i}`));
    await page.waitForTimeout(300);
  }
  calling = false;
  await caller;
  await page.waitForTimeout(5000);
  let answered = 0;
  for (const id of ids) {
    const tried = await (await api.get(`${url}/api/test-calls/${id}`)).json();
    if (tried.status === 200) answered++;
  }
  figures.times("a change of one rule goes live", times);
  figures.say("calls placed meanwhile, and answered", `${ids.length}, ${answered}`);
  expect(answered).toBe(ids.length);
}
