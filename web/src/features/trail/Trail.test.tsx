import { cleanup, render, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, expect, it, vi } from "vitest";
import type { Ladder, TrailStep } from "@/api/client";
import { LadderView } from "./LadderView";
import { Trail } from "./Trail";

afterEach(cleanup);

const table = { kind: "table" as const, id: "out", name: "Outside" };
const steps: TrailStep[] = [
  {
    kind: "received",
    switch: "quay",
    received: {
      trunk: { kind: "trunk", id: "p", name: "Phones" },
      farEnd: { kind: "farEnd", id: "p", name: "Phones" },
      called: { number: "5", format: "as-dialled" },
      caller: { number: "2001", format: "private" },
    },
  },
  {
    kind: "looked-up",
    switch: "quay",
    lookedUp: {
      table,
      called: { number: "5", format: "as-dialled" },
      caller: { number: "2001", format: "private" },
      lost: [
        { rule: { kind: "rule", id: "r", name: "Emergency" }, why: "called", detail: "5 does not match 999" },
      ],
    },
  },
  {
    kind: "ended",
    switch: "quay",
    ended: { outcome: "refused", cause: { q850: 1, sip: 404 }, name: "Unallocated", why: "no rule takes 5" },
  },
];

it("tells the rules that did not match, on demand", async () => {
  render(<Trail steps={steps} />);
  expect(screen.getByText("no rule takes 5")).toBeTruthy();
  expect(screen.queryByText("5 does not match 999")).toBeNull();
  await userEvent.click(screen.getByRole("button", { name: "1 rule not matched" }));
  expect(screen.getByText("5 does not match 999")).toBeTruthy();
});

it("lets a straight be chosen, to find its messages", async () => {
  const onChoose = vi.fn();
  render(<Trail steps={steps} stamps={[0, 1, 1]} onChoose={onChoose} />);
  await userEvent.click(screen.getByRole("button", { name: /from Phones/ }));
  expect(onChoose).toHaveBeenCalledWith(2);
});

const ladder: Ladder = {
  parties: [
    { address: "127.0.20.1:5060", name: "Phones" },
    { address: "127.0.10.1:5060", name: "Switch Quay" },
  ],
  arrows: [
    {
      from: 0,
      to: 1,
      millis: 0,
      label: "INVITE",
      status: 0,
      leg: "a",
      repeat: false,
      text: "INVITE sip:5@127.0.10.1 SIP/2.0",
    },
    {
      from: 1,
      to: 0,
      millis: 1,
      label: "404 Not Found",
      status: 404,
      leg: "a",
      repeat: false,
      text: "SIP/2.0 404 Not Found",
    },
  ],
};

it("shows the text of the message that the arrow keys reach", async () => {
  render(<LadderView ladder={ladder} />);
  screen.getByRole("button", { name: /INVITE/ }).focus();
  await userEvent.keyboard("{ArrowDown}");
  expect(screen.getByText("SIP/2.0 404 Not Found")).toBeTruthy();
  await userEvent.keyboard("{Home}");
  expect(screen.getByText("INVITE sip:5@127.0.10.1 SIP/2.0")).toBeTruthy();
});

it("says so when nothing was recorded", () => {
  render(<LadderView ladder={{ parties: [], arrows: [] }} />);
  expect(screen.getByText(/No message/)).toBeTruthy();
});
