import { createRequire } from "node:module";
import { expect, test } from "./demo";

// A second SIP library of other hands (npm: sip, in JavaScript) in the place of the
// Quay phones: it registers, calls and is called. The stand-ins use another one.
const require = createRequire(import.meta.url);
const sip = require("sip");
const digest = require("sip/digest");

const secret = "typed-for-the-second-library";
const address = "127.0.20.1";
const sdp = `v=0\r\no=- 1 1 IN IP4 ${address}\r\ns=-\r\nc=IN IP4 ${address}\r\nt=0 0\r\nm=audio 40000 RTP/AVP 8\r\n`;

// biome-ignore lint/suspicious/noExplicitAny: the library has no types
type Message = any;

test("a library of other hands registers, calls and is called", async ({ signedIn: page }) => {
  const at = (path: string) => new URL(path, page.url()).href;
  const record = async (id: string) => (await (await page.request.get(at(`/api/calls/${id}`))).json()) as Message;
  await page.request.post(at("/api/stand-ins/quay-phones/stop"));
  const set = await page.request.put(at("/api/trunks/quay-phones/secrets/inbound/quay"), { data: { secret } });
  expect(set.ok()).toBe(true);

  const taken: string[] = [];
  const stack = sip.create({ address, port: 5060, udp: true, tcp: false }, (req: Message) => {
    taken.push(req.method);
    if (req.method === "ACK") return;
    const res = sip.makeResponse(req, 200, "OK");
    if (req.method === "INVITE") {
      stack.send(sip.makeResponse(req, 180, "Ringing"));
      res.headers.to.params.tag ??= "second";
      res.headers.contact = [{ uri: `sip:2001@${address}:5060` }];
      res.headers["content-type"] = "application/sdp";
      res.content = sdp;
    }
    stack.send(res);
  });
  /** Sends a request, and once more with the credential that is asked for. It knows MD5 alone. */
  const send = async (req: Message): Promise<Message> => {
    const final = (m: Message) =>
      new Promise<Message>((done) => stack.send(m, (res: Message) => res.status >= 200 && done(res)));
    const first = await final(req);
    if (first.status !== 401) return first;
    first.headers["www-authenticate"] = first.headers["www-authenticate"].filter((c: Message) => /md5/i.test(c.algorithm));
    req.headers.cseq.seq++;
    delete req.headers.via;
    digest.signRequest({}, req, first, { user: "quay-phones", password: secret });
    return final(req);
  };
  const request = (method: string, uri: string, id: string): Message => ({
    method,
    uri,
    headers: {
      to: { uri, params: {} },
      from: { uri: `sip:2001@${address}`, params: { tag: `t${id}` } },
      "call-id": id,
      cseq: { method, seq: 1 },
      contact: [{ uri: `sip:2001@${address}:5060` }],
      "max-forwards": 70,
    },
  });

  try {
    const register = request("REGISTER", "sip:127.0.10.1:5060", `reg-${Date.now()}`);
    register.headers.to.uri = register.headers.from.uri = "sip:quay-phones@127.0.10.1";
    register.headers.expires = 120;
    expect((await send(register)).status).toBe(200);

    const invite = request("INVITE", "sip:901914980850@127.0.10.1:5060", `call-${Date.now()}`);
    invite.headers["content-type"] = "application/sdp";
    invite.content = sdp;
    const answered = await send(invite);
    expect(answered.status).toBe(200);
    expect(answered.content).toContain("m=audio");
    const within = (method: string, seq: number): Message => ({
      method,
      uri: answered.headers.contact[0].uri,
      headers: { to: answered.headers.to, from: answered.headers.from, "call-id": invite.headers["call-id"], cseq: { method, seq } },
    });
    stack.send(within("ACK", invite.headers.cseq.seq));
    expect((await send(within("BYE", invite.headers.cseq.seq + 1))).status).toBe(200);

    const placed = await page.request.post(at("/api/trunks/quay-phones/test-call"), { data: { digits: "2001", caller: "2000", seconds: 1 } });
    const { call } = (await placed.json()) as { call: string };
    await expect.poll(async () => (await record(call)).release, { timeout: 20_000 }).toContain("the test was over");
    expect((await record(call)).outcome).toBe("answered");
    expect(taken.filter((m) => m !== "OPTIONS")).toEqual(["INVITE", "ACK", "BYE"]);
    await expect.poll(() => taken, { timeout: 20_000 }).toContain("OPTIONS");
  } finally {
    stack.destroy();
    await page.request.post(at("/api/stand-ins/quay-phones/start"));
  }
});
