import type { Section } from "./model";

/** Where calls to the far end go, and how. */
export const outbound: Section = {
  title: "From us to them",
  special: "targets",
  settings: [
    {
      at: "link/sip/remoteAddress",
      label: "Calls go to",
      kind: "digits",
      empty: "where it registered from",
      hint: "address and port",
    },
    {
      at: "link/sip/dnsName",
      label: "or to its name",
      kind: "text",
      hint: "its servers are looked up by SRV, or by address (RFC 3263)",
    },
    {
      at: "link/sip/outboundProxy",
      label: "by outbound proxy",
      kind: "digits",
      empty: "none",
      hint: "address and port; named in Route",
    },
    {
      at: "link/sip/publicAddress",
      label: "They see us as",
      kind: "digits",
      empty: "what we are",
      hint: "public address, where addresses are translated between us",
    },
    {
      at: "link/sip/publicName",
      label: "They know us by name",
      kind: "text",
      empty: "our address",
      hint: "DNS name in Via, Contact and From",
    },
    {
      at: "link/sip/transport",
      label: "Transport",
      kind: "choice",
      options: [
        ["", "UDP"],
        ["tcp", "TCP"],
        ["tls", "TLS"],
      ],
      hint: "what is too long for a datagram goes by TCP all the same",
    },
    {
      at: "link/sip/tlsServerName",
      label: "Name on their certificate",
      kind: "text",
      empty: "the address",
      hint: "over TLS",
    },
    {
      at: "link/sip/optionsIntervalSeconds",
      label: "Asked by OPTIONS every",
      kind: "number",
      unit: "s",
      empty: "never",
    },
    {
      at: "link/sip/numberUri",
      label: "Numbers are written as",
      kind: "choice",
      options: [
        ["", "SIP URIs"],
        ["user-phone", "SIP URIs with user=phone"],
        ["tel", "tel URIs"],
      ],
    },
    { at: "link/sip/sendTrunkGroup", label: "Trunk group sent", kind: "text", hint: "tgrp, RFC 4904" },
    { at: "link/sip/sendTrunkContext", label: "and its context", kind: "text" },
    {
      at: "group",
      label: "Group of trunks",
      kind: "text",
      empty: "none",
      hint: "a word by which rules name all trunks that bear it",
    },
    {
      at: "costRank",
      label: "Cost rank",
      kind: "number",
      empty: "0, the cheapest",
      hint: "for paths that take the cheapest first",
    },
  ],
};
