import { execFileSync } from "node:child_process";
import { readFileSync } from "node:fs";
import path from "node:path";
import type { Page } from "@playwright/test";
import { expect, test } from "../demo";
import { Figures, yardstick } from "./figures";

/** How much a large plan has, the demo's own objects among it. */
const size = { switches: 30, trunks: 200, tables: 50, rules: 5000, calendars: 60, groups: 300, calls: 300_000 };

const range = (n: number) => Array.from({ length: Math.max(0, n) }, (_, i) => i);
const three = (n: number) => String(n).padStart(3, "0");

/** The demo with many more switches, trunks, tables, calendars and caller groups beside its own. */
function largePlan(): string {
  const plan = JSON.parse(readFileSync(path.resolve(import.meta.dirname, "../../internal/demo/skerry-line.json"), "utf8"));
  for (const s of range(size.switches - plan.switches.length)) {
    plan.switches.push({
      id: `switch-${s}`,
      name: `Switch ${three(s)}`,
      region: { country: "GB", area: "191", timeZone: "Europe/London" },
      listeners: { sip: { address: `127.0.100.${s + 1}:5060` } },
    });
    plan.tables.push(table(`in-${s}`, `Arrivals ${three(s)}`, `switch-${s}`, []));
  }
  for (const t of range(size.trunks - plan.trunks.length)) {
    const s = t % (size.switches - 3);
    const address = `127.0.110.${t + 1}`;
    plan.trunks.push({
      id: `trunk-${t}`,
      name: `Trunk ${three(t)}`,
      switch: `switch-${s}`,
      farEnd: plan.farEnds[1].id,
      channels: 30,
      inboundTable: `in-${s}`,
      in: { calledFormat: "e164", callerFormat: "e164" },
      out: { called: { domestic: "e164" }, caller: { domestic: "e164" } },
      link: { sip: { remoteAddress: `${address}:5060`, trustedAddresses: [address] } },
    });
  }
  const groups = range(size.groups - plan.callerGroups.length).map((g) => ({
    id: `group-${g}`,
    name: `Group ${three(g)}`,
    callerPattern: `9${three(g)}x`,
    trunks: ["quay-phones"],
    permissions: [{ class: "internal" }, { class: "local", when: { calendar: `calendar-${g % 50}`, states: ["day"] } }],
  }));
  plan.callerGroups.unshift(...groups);
  for (const c of range(size.calendars - plan.calendars.length)) {
    plan.calendars.push({
      id: `calendar-${c}`,
      name: `Calendar ${three(c)}`,
      week: [{ days: ["mon", "tue", "wed", "thu", "fri"], from: "08:00", to: "18:00", state: "day" }],
      holidays: { country: "GB", state: "holiday" },
      defaultState: "night",
    });
  }
  const more = size.tables - plan.tables.length;
  for (const t of range(more)) {
    const rules = t === 0 ? size.rules : 100;
    plan.tables.push(table(`many-${t}`, `Numbers ${three(t)}`, "quay", range(rules).map((r) => rule(t, r))));
    plan.tables[0].rules.unshift({
      id: `to-many-${t}`,
      name: `Code 6${three(t)}`,
      match: { called: `6${three(t)}x.` },
      calledSteps: [{ op: "remove-first", count: 4 }],
      then: { table: `many-${t}` },
    });
  }
  return JSON.stringify(plan);
}

const table = (id: string, name: string, on: string, rules: unknown[]) => ({ id, name, switch: on, format: "as-dialled", order: "as-listed", rules });

const rule = (t: number, r: number) => ({
  id: `many-${t}-${r}`,
  name: `Place ${t} ${r}`,
  match: { called: `0${1000 + r}${t % 10}xxxxx` },
  calledSteps: [{ op: "interpret-as", format: "national" }],
  then: { path: "national" },
});

/** Copies the calls that were really placed over the last weeks, until there are many. */
function multiplyCalls(home: string) {
  const sql = (text: string) =>
    execFileSync("mariadb", ["--no-defaults", "-uroot", `--socket=${home}/db/m.sock`, "-N", "switchback", "-e", text], { encoding: "utf8" });
  const columns = (of: string, but: string[]) =>
    sql(`SELECT column_name FROM information_schema.columns WHERE table_schema = 'switchback' AND table_name = '${of}' AND extra NOT LIKE '%GENERATED%'`)
      .trim()
      .split("\n")
      .filter((c) => !but.includes(c));
  const placed = Number(sql("SELECT COUNT(*) FROM call_summaries"));
  expect(placed).toBeGreaterThan(20);
  // A copy keeps all of its call but its id and its times.
  const id = "CONCAT('L', LPAD(seq, 23, '0'))";
  const back = (c: string) => `${c} - INTERVAL seq * 8 SECOND`;
  const numbered = (of: string) => `(SELECT x.*, n FROM ${of} x JOIN (SELECT id, ROW_NUMBER() OVER (ORDER BY id) n FROM call_summaries WHERE id NOT LIKE 'L0%') k USING (id)) t`;
  for (const [of, times] of [
    ["calls", ["started_at", "answered_at", "ended_at"]],
    ["call_summaries", ["started_at", "answered_at", "ended_at"]],
    ["call_numbers", ["started_at"]],
  ] as const) {
    const rest = columns(of, ["id", ...times]);
    sql(`INSERT INTO ${of} (id, ${[...times, ...rest].join(", ")}) SELECT ${id}, ${[...times.map((c) => back(`t.${c}`)), ...rest.map((c) => `t.${c}`)].join(", ")}
      FROM seq_1_to_${size.calls} JOIN ${numbered(of)} ON t.n = 1 + seq % ${placed}`);
  }
}

/** A view: its address, a text by which it is known to stand there, and what its search is given. */
interface View {
  path: string;
  shows: string;
  find?: { text: string; shows: string };
}

const views: View[] = [
  { path: "/network", shows: "Switch 020" },
  { path: "/trunks", shows: "Trunk 000", find: { text: "trunk 150", shows: "Trunk 150" } },
  { path: "/trunks/ostrel", shows: "Straight test call" },
  { path: "/trunks/ostrel/settings", shows: "Number contract", find: { text: "channels", shows: "Channels bought" } },
  { path: "/plan/switches/quay", shows: "Switch 020", find: { text: "switch 011", shows: "Switch 011" } },
  { path: "/routing/many-0", shows: "Place 0 3", find: { text: "place 0 4321", shows: "Place 0 4321" } },
  { path: "/plan/paths/national", shows: "No-response timer", find: { text: "mobile", shows: "Mobile" } },
  { path: "/numbers", shows: "Public numbers", find: { text: "0100", shows: "0100" } },
  { path: "/calendars", shows: "Calendar 001", find: { text: "calendar 044", shows: "Calendar 044" } },
  { path: "/permissions", shows: "Group 003" },
  { path: "/test-call", shows: "Dial" },
  { path: "/checks", shows: "Emergency 999", find: { text: "voicemail", shows: "Voicemail" } },
  { path: "/changes", shows: "Revision note" },
  { path: "/active-calls", shows: "connected" },
  { path: "/blocked-sources", shows: "Unknown-source policy" },
  { path: "/calls", shows: "Outbound trunk", find: { text: "+4420794608", shows: "+4420794608" } },
  { path: "/setup", shows: "First set-up" },
];

const rounds = 6;

test("views of 200 trunks on 30 switches, 50 tables, 60 calendars, 300 groups and 300,000 calls", async ({ signedIn: page, demo }) => {
  const figures = new Figures();
  const headers = { origin: demo.url };
  const send = async (method: "POST" | "PUT", where: string, data: unknown) => {
    const answer = await page.request.fetch(`${demo.url}${where}`, { method, data, headers });
    expect(answer.ok(), `${method} ${where}: ${answer.status()} ${answer.ok() ? "" : (await answer.text()).slice(0, 600)}`).toBe(true);
    return answer.json();
  };
  for (const n of range(60)) {
    const called = n % 4 === 3 ? "2150" : `90207946085${n % 10}`;
    await send("POST", "/api/test-calls", { mode: "live", plan: "live", from: "2001", called, talkSeconds: 1 });
    await page.waitForTimeout(200);
  }
  await send("PUT", "/api/draft", JSON.parse(largePlan()));
  const changes = await (await page.request.get(`${demo.url}/api/changes`)).json();
  await send("POST", "/api/live", { version: changes.version, note: "a large plan" });
  await page.waitForTimeout(8000); // the calls have ended and are kept
  multiplyCalls(demo.home);
  const talking = { mode: "live", plan: "live", from: "2001", called: "902079460850", talkSeconds: 60 };

  await page.goto(`${demo.url}/setup`);
  await page.waitForTimeout(5000);
  await watchTasks(page);
  const [opened, found, scrolled]: number[][] = [[], [], []];
  const tasks: string[] = [];
  const yardsticks: number[] = [];
  for (const round of range(rounds)) {
    yardsticks.push(await yardstick(page));
    for (const _ of range(3)) await send("POST", "/api/test-calls", talking); // something to see under Active calls
    for (const view of views) {
      const note = async (what: string) => {
        for (const ms of await tasksSince(page)) tasks.push(`${view.path}, ${what}: ${ms} ms`);
      };
      const took = await open(page, view);
      if (round > 0) opened?.push(took);
      if (process.env.EACH) console.log(`open ${view.path} ${took.toFixed(0)}`);
      if (round > 0) await note("opened");
      else await tasksSince(page);
      if (view.find) {
        const ms = await find(page, view.find);
        if (process.env.EACH) console.log(`find ${view.path} ${ms.toFixed(0)}`);
        found?.push(ms);
        await note("searched");
      }
      scrolled?.push(...(await scroll(page)));
      await note("scrolled");
    }
  }
  figures.yardstick(yardsticks);
  figures.times("a view opened, with what it asks of the server", opened ?? []);
  figures.times("a search in a view, to the drawn result", found ?? []);
  figures.times("a frame while a view is scrolled", scrolled ?? []);
  figures.say("tasks of the page over 50 ms", `${tasks.length} in ${rounds} rounds of ${views.length} views`);
  for (const task of tasks) figures.say("", task);
  figures.print();
});

async function watchTasks(page: Page) {
  await page.evaluate(() => {
    const tasks: number[] = [];
    new PerformanceObserver((list) => tasks.push(...list.getEntries().map((e) => e.duration))).observe({ type: "longtask" });
    Object.assign(window, { tasks });
  });
}

/** The tasks over 50 ms since this was asked last. */
const tasksSince = (page: Page) =>
  page.evaluate(async () => {
    await new Promise((done) => setTimeout(done, 100)); // they are told late
    return (window as unknown as { tasks: number[] }).tasks.splice(0);
  });

/** Goes to a view as a link does, and waits within the page until it shows what it is known by and is drawn. */
const open = (page: Page, { path, shows }: View) =>
  page.evaluate(
    async ({ path, shows }) => {
      const start = performance.now();
      history.pushState({}, "", path);
      dispatchEvent(new PopStateEvent("popstate", { state: {} }));
      const frame = () => new Promise(requestAnimationFrame);
      await frame();
      while (!document.querySelector("main")?.textContent?.includes(shows)) {
        if (performance.now() - start > 20_000) throw new Error(`${path} never shows ${shows}`);
        await frame();
      }
      await frame();
      return performance.now() - start;
    },
    { path, shows },
  );

/** Types into the search of the view, and waits until it shows what was sought and is drawn. */
const find = (page: Page, sought: { text: string; shows: string }) =>
  page.evaluate(async ({ text, shows }) => {
    const fields = [...document.querySelectorAll<HTMLInputElement>("main input[type=search]")];
    const field = fields.at(-1);
    if (!field) throw new Error(`${location.pathname} has no search`);
    const type = (value: string) => {
      Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, "value")?.set?.call(field, value);
      field.dispatchEvent(new Event("input", { bubbles: true }));
    };
    const frame = () => new Promise(requestAnimationFrame);
    const start = performance.now();
    type(text);
    await frame();
    while (!document.querySelector("main")?.textContent?.includes(shows)) {
      if (performance.now() - start > 20_000) throw new Error(`${location.pathname}: ${text} never shows ${shows}`);
      await frame();
    }
    await frame();
    const took = performance.now() - start;
    type("");
    await frame();
    await frame();
    return took;
  }, sought);

/** Scrolls what can be scrolled farthest in the view, and returns how long each frame took. */
const scroll = (page: Page) =>
  page.evaluate(async () => {
    const room = (e: Element) => e.scrollHeight - e.clientHeight;
    const scrolls = [...document.querySelectorAll("main *")].filter((e) => /auto|scroll/.test(getComputedStyle(e).overflowY));
    const [most] = scrolls.sort((a, b) => room(b) - room(a));
    const frames: number[] = [];
    for (let i = 0; most && i < 30; i++) {
      const start = performance.now();
      most.scrollTop += i < 20 ? 120 : -200; // a notch of a wheel is about 100 px
      await new Promise(requestAnimationFrame);
      frames.push(performance.now() - start);
    }
    if (most) most.scrollTop = 0;
    return frames;
  });
