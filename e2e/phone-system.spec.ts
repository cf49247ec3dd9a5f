import { choose } from "./choose";
import { createRequire } from "node:module";
import { expect, test } from "./demo";

// docs/connect-a-phone-system.md, as one who reads it would follow it: a phone system
// of other hands (npm: sip) at an address that the plan does not know yet.
const require = createRequire(import.meta.url);
const sip = require("sip");
const digest = require("sip/digest");

const address = "127.0.20.9";
const sdp = `v=0\r\no=- 1 1 IN IP4 ${address}\r\ns=-\r\nc=IN IP4 ${address}\r\nt=0 0\r\nm=audio 40000 RTP/AVP 8\r\n`;

// biome-ignore lint/suspicious/noExplicitAny: the library has no types
type Message = any;

test("a phone system of one's own is connected by the guide", async ({ signedIn: page }) => {
  const at = (path: string) => new URL(path, page.url()).href;
  // 1. Describe it.
  await page.goto(at("/plan/farEnds/new"));
  await page.getByLabel("Name", { exact: true }).fill("Harbour phones");
  await page.getByLabel("Kind").selectOption("phone-system");
  await page.getByRole("button", { name: "Save to the draft" }).click();
  await expect(page.getByText("saved, not live yet")).toBeVisible();
  await page.goto(at("/plan/trunks/new"));
  await page.getByLabel("Name", { exact: true }).fill("Harbour phones");
  await page.getByLabel("Switch", { exact: true }).selectOption({ label: "Quay" });
  await page.getByLabel("Far end", { exact: true }).selectOption({ label: "Harbour phones" });
  await page.getByLabel("Profile", { exact: true }).selectOption({ label: "Phone system that registers" });
  await expect(page.getByRole("combobox", { name: "Registration", exact: true })).toHaveValue("inbound");
  await expect(page.getByText("2 required")).toBeVisible(); // an account and a table
  await page.getByRole("button", { name: "Add an account" }).first().click();
  await page.getByLabel("Registration name of the new account").fill("harbour-phones");
  await page.getByLabel("Inbound routing table").selectOption({ label: "From the quay phones" });
  await expect(page.getByText("matches the profile")).toBeVisible();
  await expect(page.getByLabel("Call transfer")).toBeChecked();
  await page.getByLabel("Table of forwarded calls").selectOption({ label: "Forwarded by the quay phones" });
  const wire = page.getByRole("region", { name: "Message as sent" });
  await expect(wire).toContainText("where-it-registered");
  await expect(wire).toContainText("REFER");
  await page.getByRole("button", { name: "Save to the draft" }).click();
  await expect(page).toHaveURL(/\/plan\/trunks\/harbour-phones$/);

  // 2. Give it numbers.
  await page.goto(at("/plan/destinations/new"));
  await page.getByLabel("Name", { exact: true }).fill("Harbour extensions");
  await page.getByLabel("Kind").selectOption("extensions");
  await page.getByLabel("Trunk", { exact: true }).selectOption({ label: "Harbour phones" });
  await page.getByLabel("Existing numbers").fill("24[01]x");
  await page.getByRole("button", { name: "Save to the draft" }).click();
  await expect(page).toHaveURL(/harbour-extensions$/);
  await page.goto(at("/routing/phones-out"));
  await page.getByRole("link", { name: "Add rule" }).click();
  await page.getByLabel("Name").fill("Harbour");
  await page.getByLabel("Called pattern").fill("24[01]x");
  await choose(page.getByLabel("Then"), "Harbour extensions");
  await page.getByRole("button", { name: "Save to the draft" }).click();
  await expect(page.locator("[data-rule]").filter({ hasText: "Harbour" })).toBeVisible();

  // 3. Go live, set the secret.
  await page.goto(at("/changes"));
  await page.getByRole("button", { name: "Go live" }).click();
  await expect(page.getByText("draft: no changes", { exact: true })).toBeVisible({ timeout: 20_000 });
  await page.goto(at("/trunks/harbour-phones"));
  const accounts = page.getByRole("region", { name: "Accounts" });
  await accounts.getByRole("button", { name: "Set", exact: true }).click();
  await accounts.getByRole("button", { name: "Generate" }).click();
  const secret = (await accounts.locator("code").textContent()) ?? "";
  expect(secret.length).toBeGreaterThan(15);

  // 4. Enter it there.
  const stack = sip.create({ address, port: 5060, udp: true, tcp: false }, (req: Message) => {
    if (req.method === "ACK") return;
    const res = sip.makeResponse(req, 200, "OK");
    if (req.method === "INVITE") {
      res.headers.to.params.tag ??= "harbour";
      res.headers.contact = [{ uri: `sip:2405@${address}:5060` }];
      res.headers["content-type"] = "application/sdp";
      res.content = sdp;
    }
    stack.send(res);
  });
  try {
    const final = (m: Message) => new Promise<Message>((done) => stack.send(m, (res: Message) => res.status >= 200 && done(res)));
    const register: Message = {
      method: "REGISTER",
      uri: "sip:127.0.10.1:5060",
      headers: {
        to: { uri: "sip:harbour-phones@127.0.10.1", params: {} },
        from: { uri: "sip:harbour-phones@127.0.10.1", params: { tag: "harbour" } },
        "call-id": `harbour-${Date.now()}`,
        cseq: { method: "REGISTER", seq: 1 },
        contact: [{ uri: `sip:harbour-phones@${address}:5060` }],
        expires: 120,
        "max-forwards": 70,
      },
    };
    const asked = await final(register);
    expect(asked.status).toBe(401);
    asked.headers["www-authenticate"] = asked.headers["www-authenticate"].filter((c: Message) => /md5/i.test(c.algorithm));
    register.headers.cseq.seq++;
    delete register.headers.via;
    digest.signRequest({}, register, asked, { user: "harbour-phones", password: secret });
    expect((await final(register)).status).toBe(200);

    // 5. Prove it.
    await page.goto(at("/trunks"));
    await expect(page.getByRole("row", { name: /Harbour phones/ })).toContainText("registered", { timeout: 20_000 });
    await page.goto(at("/test-call?from=2001&dial=2405"));
    await page.getByRole("button", { name: /Call live/ }).click();
    await expect(page.getByText("Harbour phones answered").first()).toBeVisible({ timeout: 20_000 });
  } finally {
    stack.destroy();
  }
});

test("a forwarded call reaches the right mailbox, and its lamp lights", async ({ signedIn: page }) => {
  await page.goto(new URL("/test-call?from=ostrel&dial=%2B441914980282&caller=%2B441914980999", page.url()).href);
  await page.getByRole("button", { name: /Call live/ }).click();
  await expect(page.getByText("diverted by Quay phones")).toBeVisible({ timeout: 20_000 });
  await expect(page.getByText("Harbourbox answered").first()).toBeVisible({ timeout: 20_000 });
  await page.goto(new URL("/trunks/quay-phones", page.url()).href);
  const services = page.getByRole("region", { name: "Services" });
  await expect(services).toContainText("2182 ◉ lit", { timeout: 20_000 });
  await expect(services).toContainText("Quay phones took it");
});

test("both ends of a trunk stand beside each other, and are mended in one step", async ({ signedIn: page }) => {
  const at = (path: string) => new URL(path, page.url()).href;
  const live = async () => ((await (await page.request.get(at("/api/live"))).json()) as Message).plan;
  await page.goto(at("/plan/trunks/deskline"));
  await page.getByLabel("Comfort noise", { exact: true }).selectOption("");
  await page.getByRole("button", { name: "Save to the draft" }).click();
  await expect(page.getByText("saved, not live yet")).toBeVisible();
  await page.goto(at("/changes"));
  await page.getByRole("button", { name: "Go live" }).click();
  await expect(page.getByText("draft: no changes", { exact: true })).toBeVisible({ timeout: 20_000 });

  await page.goto(at("/trunks/deskline"));
  const ends = page.getByRole("region", { name: "Both ends" });
  await expect(ends).toContainText("differ");
  await expect(ends).toContainText("the far end rejects offers with it");
  await ends.getByRole("button", { name: "Use far-end value" }).click();
  await expect(ends).toContainText("in the draft, not live yet");
  await page.goto(at("/changes"));
  await page.getByRole("button", { name: "Go live" }).click();
  await expect(page.getByText("draft: no changes", { exact: true })).toBeVisible({ timeout: 20_000 });
  const deskline = (await live()).trunks.find((t: Message) => t.id === "deskline");
  expect(deskline.media.comfortNoise).toBe("remove");
});
