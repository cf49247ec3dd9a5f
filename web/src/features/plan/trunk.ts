import { type Kind, name, note, onSwitch, switches } from "./model";
import { digits } from "./trunkDigits";
import { inbound } from "./trunkInbound";
import { outbound } from "./trunkOutbound";

const yesNo: [string, string][] = [
  ["", "no"],
  ["true", "yes"],
];

/** A trunk, as it is edited: its two ends, who is who, limits, sound and numbers. */
export const trunkKind: Kind = {
  name: "trunks",
  one: "trunk",
  many: "Trunks",
  change: "trunk",
  make: (p) => ({
    id: "",
    name: "",
    switch: p.switches[0]?.id ?? "",
    channels: 10,
    in: {},
    out: { called: {}, caller: {} },
    link: { sip: { optionsIntervalSeconds: 30 } },
  }),
  sections: [
    {
      title: "Two ends",
      special: "profile",
      settings: [
        name,
        switches,
        {
          at: "farEnd",
          label: "Far end",
          kind: "one-of",
          among: (p) => p.farEnds,
          empty: "none: a switch of this plan",
        },
        {
          at: "oppositeTrunk",
          label: "Other side of the same connection",
          kind: "one-of",
          empty: "not a switch of this plan",
          among: (p, o) => p.trunks.filter((t) => t.id !== o.id),
          hint: "where the far end is another switch here: the trunk over there",
        },
        note,
      ],
    },
    outbound,
    {
      title: "From them to us",
      about: "Which calls are theirs, and what they must show.",
      settings: [
        {
          at: "inboundTable",
          label: "Calls enter table",
          kind: "one-of",
          among: onSwitch((p) => p.tables),
          empty: "none: they may not call in",
        },
        ...inbound,
        {
          at: "link/sip/inboundAuth",
          label: "A call must show",
          kind: "choice",
          options: [
            ["", "a credential if they register, else their address"],
            ["source-address", "their address"],
            ["digest", "a credential"],
            ["both", "both"],
          ],
          hint: "anybody on the network can write an address into a datagram: alone it is enough only by TLS, or where the network is yours",
        },
        {
          at: "link/sip/trustedAddresses",
          label: "Trusted addresses",
          kind: "lines",
          hint: "one a line: an address, one with a port, or a network; by their transport or a stronger one (UDP, TCP, TLS)",
        },
        {
          at: "link/sip/requireCertificate",
          label: "Must show a certificate",
          kind: "choice",
          options: yesNo,
          hint: "over TLS, for the name on their certificate; without trusted addresses it alone says who they are",
        },
        {
          at: "link/sip/digestAlgorithm",
          label: "Their digest",
          kind: "choice",
          options: [
            ["", "SHA-256 or MD5"],
            ["sha-256", "SHA-256 alone"],
            ["md5", "MD5 alone"],
          ],
          hint: "MD5 alone for a far end that answers only the first challenge",
        },
        {
          at: "link/sip/requestDomain",
          label: "Sent to domain",
          kind: "text",
          hint: "tells trunks apart that share an address",
        },
        { at: "link/sip/requestTrunkGroup", label: "Trunk group", kind: "text", hint: "tgrp, RFC 4904" },
        {
          at: "link/sip/calledField",
          label: "Called number stands in",
          kind: "choice",
          options: [
            ["", "the request URI"],
            ["to", "To"],
          ],
        },
        {
          at: "link/sip/calledPattern",
          label: "Called number matches",
          kind: "digits",
          hint: "dial pattern, as the number comes",
        },
        {
          at: "hairpin",
          label: "May a call go back where it came from",
          kind: "choice",
          options: [
            ["", "phone systems may, others not"],
            ["true", "yes"],
            ["false", "no"],
          ],
        },
      ],
    },
    {
      title: "Registration",
      settings: [
        {
          at: "link/sip/registration",
          label: "Who registers",
          kind: "choice",
          options: [
            ["", "nobody"],
            ["inbound", "they register with us"],
            ["outbound", "we register with them"],
          ],
        },
        { at: "link/sip/minExpires", label: "Theirs holds at least", kind: "number", unit: "s", empty: "60" },
        { at: "link/sip/maxExpires", label: "and at most", kind: "number", unit: "s", empty: "3600" },
        { at: "link/sip/maxContacts", label: "Contacts an account", kind: "number", empty: "4" },
      ],
      special: "accounts",
    },
    digits,
    {
      title: "Channels and limits",
      settings: [
        {
          at: "channels",
          label: "Channels",
          kind: "number",
          hint: "calls at one time, both directions together",
        },
        { at: "reserved/emergency", label: "kept for emergency calls", kind: "number", empty: "0" },
        { at: "reserved/in", label: "kept for calls from them to us", kind: "number", empty: "0" },
        { at: "reserved/out", label: "kept for calls from us to them", kind: "number", empty: "0" },
        { at: "callsPerSecond", label: "Calls a second", kind: "number", empty: "no limit" },
        { at: "maxCallSeconds", label: "Longest call", kind: "number", unit: "s", empty: "14400" },
        {
          at: "link/sip/sessionTimer",
          label: "Session timer",
          kind: "choice",
          options: [
            ["", "on"],
            ["off", "off"],
          ],
          hint: "RFC 4028: notices a far end that is gone in the middle of a call",
        },
        {
          at: "link/sip/sessionExpiresSeconds",
          label: "Session interval",
          kind: "number",
          unit: "s",
          empty: "1800",
        },
      ],
    },
    {
      title: "Sound",
      about:
        "Through the switch it is heard, counted and shielded; direct, nobody here can say whether there is any.",
      settings: [
        {
          at: "media/path",
          label: "Goes",
          kind: "choice",
          options: [
            ["", "through the switch"],
            ["direct", "direct from side to side"],
          ],
          hint: "direct if either trunk of a call says so",
        },
        {
          at: "media/ptimeMs",
          label: "Packet time asked for",
          kind: "number",
          unit: "ms",
          empty: "as offered",
        },
        {
          at: "media/codecs",
          label: "Codecs",
          kind: "lines",
          hint: "one a line, best first, such as PCMA; none lets all pass. A call that none is left of gets 488",
        },
        {
          at: "media/comfortNoise",
          label: "Comfort noise",
          kind: "choice",
          options: [
            ["", "passes"],
            ["remove", "removed"],
          ],
        },
        {
          at: "media/encryption",
          label: "Encryption",
          kind: "choice",
          options: [
            ["", "as both sides agree"],
            ["srtp", "SRTP, between them and us"],
          ],
          hint: "RFC 3711, with keys in the descriptions over TLS; what is not encrypted gets 488",
        },
        {
          at: "media/telephoneEvents",
          label: "Keys as events",
          kind: "choice",
          options: [
            ["", "pass"],
            ["remove", "removed"],
          ],
          hint: "RFC 4733",
        },
      ],
    },
    {
      title: "Services",
      about: "What they may do beside calling. They may do nothing that is not named here.",
      settings: [
        {
          at: "services/forwarding",
          label: "Divert calls",
          kind: "choice",
          options: yesNo,
          hint: "by a 3xx, or by a call that says from where (RFC 5806, RFC 7044), which is believed then",
        },
        {
          at: "services/transfer",
          label: "Transfer calls",
          kind: "choice",
          options: yesNo,
          hint: "REFER, RFC 3515",
        },
        {
          at: "services/replaces",
          label: "Take over calls of their own",
          kind: "choice",
          options: yesNo,
          hint: "Replaces, RFC 3891",
        },
        {
          at: "services/table",
          label: "What they send on enters table",
          kind: "one-of",
          among: onSwitch((p) => p.tables),
          empty: "that of their own calls",
        },
        {
          at: "services/trunkToTrunk",
          label: "Join two outside parties",
          kind: "choice",
          options: yesNo,
          hint: "at our cost; without it such a call is refused with 403",
        },
        {
          at: "services/redirecting",
          label: "They are told who diverted",
          kind: "choice",
          options: [
            ["", "no"],
            ["diversion", "by Diversion"],
            ["history-info", "by History-Info"],
            ["both", "by both"],
          ],
          hint: "voicemail finds the mailbox by it",
        },
        {
          at: "services/mwiAccept",
          label: "Say that messages wait",
          kind: "choice",
          options: yesNo,
          hint: "NOTIFY, RFC 3842",
        },
        {
          at: "services/blf",
          label: "Are told of messages",
          kind: "choice",
          options: yesNo,
          hint: "for the extensions that are delivered to them",
        },
      ],
    },
    {
      title: "Their end, kept by hand",
      about:
        "What the far end says of its own side, as in a carrier's welcome letter. It decides nothing; it is compared with ours.",
      settings: [
        {
          at: "farEndSettings/channels",
          label: "Channels bought",
          kind: "number",
          empty: "not known",
          hint: "calls at one time that they allow",
        },
        {
          at: "farEndSettings/remoteAddress",
          label: "They send calls to",
          kind: "digits",
          hint: "address and port",
        },
        {
          at: "farEndSettings/listenAddresses",
          label: "They take and send calls on",
          kind: "lines",
          hint: "one a line, address and port",
        },
        {
          at: "farEndSettings/transport",
          label: "Their transport",
          kind: "choice",
          options: [
            ["", "not known"],
            ["udp", "UDP"],
            ["tcp", "TCP"],
            ["tls", "TLS"],
          ],
        },
        {
          at: "farEndSettings/registration",
          label: "Who registers, they say",
          kind: "choice",
          options: [
            ["", "not known"],
            ["none", "nobody"],
            ["inbound", "they with us"],
            ["outbound", "we with them"],
          ],
        },
        { at: "farEndSettings/outboundUser", label: "Our name with them", kind: "text" },
        {
          at: "farEndSettings/inboundFormat",
          label: "They give called numbers as",
          kind: "text",
          hint: "such as e164",
        },
        {
          at: "farEndSettings/outboundFormat",
          label: "They take called numbers as",
          kind: "text",
          hint: "such as e164",
        },
        { at: "farEndSettings/codecs", label: "Their codecs", kind: "lines", hint: "one a line" },
      ],
    },
    {
      title: "Number contract",
      about:
        "The form of numbers that they give and take. A called number that cannot be written so is not sent here; a caller never costs the call.",
      special: "contract",
    },
  ],
};
