import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { cleanup, fireEvent, render, screen, waitFor } from "@testing-library/react";
import { MemoryRouter } from "react-router";
import { afterEach, describe, expect, it, vi } from "vitest";
import { api, type Group, type Plan } from "@/api/client";
import { PermissionMatrix } from "./PermissionMatrix";

const crew: Group = {
  id: "crew",
  name: "Crew",
  callerPattern: "22xx",
  permissions: [
    { class: "internal" },
    { class: "international", when: { calendar: "office", states: ["day"] } },
  ],
};
const plan = {
  trunks: [],
  calendars: [
    {
      id: "office",
      name: "Office hours",
      week: [{ days: ["mon"], from: "08:00", to: "18:00", state: "day" }],
      defaultState: "night",
    },
  ],
} as unknown as Plan;

function show() {
  const put = vi.spyOn(api, "PUT");
  put.mockResolvedValue({ data: { id: "crew", elsewhere: [] }, response: new Response() } as never);
  // Of all that is asked, the states of the calendars are used.
  vi.spyOn(api, "GET").mockResolvedValue({
    data: { office: ["day", "night"] },
    response: new Response(),
  } as never);
  render(
    <MemoryRouter>
      <QueryClientProvider client={new QueryClient()}>
        <PermissionMatrix plan={plan} groups={[crew]} />
      </QueryClientProvider>
    </MemoryRouter>,
  );
  return put;
}

afterEach(() => {
  cleanup();
  vi.restoreAllMocks();
});

describe("the matrix of permissions", () => {
  it("says each cell in words: never, always, or when", () => {
    show();
    expect(screen.getByRole("button", { name: "Crew, internal calls: always" })).toBeTruthy();
    expect(screen.getByRole("button", { name: "Crew, premium calls: never" })).toBeTruthy();
    expect(
      screen.getByRole("button", { name: "Crew, international calls: while Office hours is day" }),
    ).toBeTruthy();
  });

  it("permits by Space, with the group as it was read", async () => {
    const put = show();
    fireEvent.keyDown(screen.getByRole("button", { name: "Crew, premium calls: never" }), { key: " " });
    await waitFor(() => expect(put).toHaveBeenCalled());
    const permissions = [...crew.permissions.slice(0, 1), { class: "premium" }, ...crew.permissions.slice(1)];
    expect(put.mock.calls[0]?.[1]).toMatchObject({ body: { is: { ...crew, permissions }, was: crew } });
  });

  it("writes hours once a state is ticked, and none before", async () => {
    const put = show();
    fireEvent.click(screen.getByRole("button", { name: "Crew, premium calls: never" }));
    fireEvent.change(await screen.findByLabelText("or by calendar"), { target: { value: "office" } });
    expect(((await screen.findByLabelText("day")) as HTMLInputElement).checked).toBe(false);
    expect(put).not.toHaveBeenCalled();
    fireEvent.click(screen.getByLabelText("night"));
    await waitFor(() => expect(put).toHaveBeenCalled());
    const premium = { class: "premium", when: { calendar: "office", states: ["night"] } };
    expect(put.mock.calls[0]?.[1]).toMatchObject({
      body: { is: { permissions: expect.arrayContaining([premium]) } },
    });
  });

  it("walks by the arrow keys", () => {
    show();
    const first = screen.getByRole("button", { name: "Crew, internal calls: always" });
    first.focus();
    fireEvent.keyDown(first, { key: "ArrowRight" });
    expect(document.activeElement?.getAttribute("aria-label")).toBe("Crew, service calls: never");
  });
});
