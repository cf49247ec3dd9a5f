import { createSocket, type RemoteInfo } from "node:dgram";

/** A far end that is no more than two sockets: it answers calls (RFC 3261) and echoes what it hears (RFC 3550). */
export async function farEnd(host: string) {
  const sip = createSocket("udp4");
  const audio = createSocket("udp4");
  const seen = { called: [] as string[], heard: 0 };
  audio.on("message", (packet: Buffer, from: RemoteInfo) => {
    seen.heard++;
    audio.send(packet, from.port, from.address);
  });
  sip.on("message", (bytes: Buffer, from: RemoteInfo) => {
    const text = bytes.toString();
    const method = text.split(" ", 1)[0];
    if (method === "ACK" || method === "SIP/2.0") return;
    const lines = text.split("\r\n");
    const field = (name: string) => lines.filter((l) => l.toLowerCase().startsWith(`${name.toLowerCase()}:`));
    const to = field("To").map((l) => (l.includes("tag=") ? l : `${l};tag=far`));
    const body =
      method === "INVITE"
        ? `v=0\r\no=- 1 1 IN IP4 ${host}\r\ns=-\r\nc=IN IP4 ${host}\r\nt=0 0\r\nm=audio ${audio.address().port} RTP/AVP 8\r\n`
        : "";
    if (method === "INVITE") seen.called.push(/^INVITE sip:([^@]*)@/.exec(text)?.[1] ?? "");
    const reply = [
      "SIP/2.0 200 OK",
      ...field("Via"),
      ...field("From"),
      ...to,
      ...field("Call-ID"),
      ...field("CSeq"),
      `Contact: <sip:${host}:5060>`,
      ...(body ? ["Content-Type: application/sdp"] : []),
      `Content-Length: ${body.length}`,
      "",
      body,
    ];
    sip.send(reply.join("\r\n"), from.port, from.address);
  });
  await new Promise<void>((bound) => sip.bind(5060, host, bound));
  await new Promise<void>((bound) => audio.bind(0, host, bound));
  return {
    seen,
    close: () => {
      sip.close();
      audio.close();
    },
  };
}
