import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { cleanup, render, screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { useState } from "react";
import { MemoryRouter } from "react-router";
import { afterEach, expect, test, vi } from "vitest";
import { Problem } from "@/api/client";
import { differences } from "@/lib/value";
import { Field } from "@/ui/controls";
import { SaveBar } from "./SaveBar";
import { type Saved, useEdit } from "./useEdit";

interface Path {
  id: string;
  name: string;
  ringSeconds?: number;
}

type Put = (
  body: { is: Path; was?: Path },
  asked: { try: boolean },
  draft: (path: Path) => void,
) => Promise<Saved>;

/** A form of one field, as the editors make theirs. */
function Form({ put, begin }: { put: Put; begin: Path }) {
  const [object, setObject] = useState(begin);
  const edit = useEdit<Path>({
    object,
    isNew: false,
    definition: "Trunk",
    put: (body, asked) => put(body, asked, setObject),
    onSaved: () => undefined,
  });
  return (
    <form aria-label="path" {...edit.form}>
      <Field label="Name" error={edit.at("name")}>
        {(p) => <input {...p} value={edit.value.name} onChange={(e) => edit.set("name", e.target.value)} />}
      </Field>
      <Field label="Cost rank" error={edit.at("costRank")}>
        {(p) => <input {...p} type="number" onChange={(e) => edit.set("costRank", Number(e.target.value))} />}
      </Field>
      <SaveBar edit={edit} changed={differences(object, edit.value)} />
    </form>
  );
}

const national: Path = { id: "national", name: "National" };

function show(put: Put) {
  render(
    <MemoryRouter>
      <QueryClientProvider client={new QueryClient()}>
        <Form put={put} begin={national} />
      </QueryClientProvider>
    </MemoryRouter>,
  );
  return userEvent.setup();
}

afterEach(cleanup);

const button = (name: string) => screen.getByRole<HTMLButtonElement>("button", { name });

test("what changed is named, discarded at once, and nothing is asked of the server before", async () => {
  const put = vi.fn<Put>(async () => ({ id: "national", elsewhere: [] }));
  const user = show(put);
  expect(button("Save to the draft").disabled).toBe(true);
  await user.type(screen.getByLabelText("Name"), "s");
  expect(screen.getByText("not saved: name")).toBeTruthy();
  await user.click(button("Discard"));
  expect(screen.getByLabelText<HTMLInputElement>("Name").value).toBe("National");
  expect(button("Save to the draft").disabled).toBe(true);
  expect(put).not.toHaveBeenCalled();
});

test("a try says what the save would break; the save is made with what was found", async () => {
  const broken = [{ place: "/paths/abroad/choices/0", reason: "is on another switch" }];
  const put = vi.fn<Put>(async ({ is }, asked, draft) => {
    if (!asked.try) draft(is);
    return { id: is.id, elsewhere: broken };
  });
  const user = show(put);
  await user.type(screen.getByLabelText("Name"), "s");
  await screen.findByText("breaks 1 other object");
  expect(put).toHaveBeenCalledTimes(1);
  expect(put.mock.calls[0]?.[1]).toEqual({ try: true });
  await user.keyboard("{Control>}s{/Control}");
  await screen.findByText("Saved; other objects now have errors");
  const made = put.mock.calls.filter(([, asked]) => !asked.try);
  expect(made.map(([body]) => body)).toEqual([{ is: { ...national, name: "Nationals" }, was: national }]);
  expect(button("Save to the draft").disabled).toBe(true);
});

test("the schema's limit is said at its field, at the key that broke it", async () => {
  const user = show(vi.fn<Put>(async () => ({ id: "national" })));
  await user.type(screen.getByLabelText("Cost rank"), "999");
  await screen.findByText("At most 100");
  expect(screen.getByLabelText("Cost rank").getAttribute("aria-invalid")).toBe("true");
});

test("what is refused is said at its field, and no longer once it is mended", async () => {
  const put = vi.fn<Put>(async ({ is }) => {
    if (is.name === "National!") {
      const errors = [{ location: "name", message: "is taken" }];
      throw new Problem(422, { detail: "the path was not saved", errors });
    }
    return { id: is.id, elsewhere: [] };
  });
  const user = show(put);
  await user.keyboard("{Control>}s{/Control}");
  expect(put, "nothing changed, so nothing is saved").not.toHaveBeenCalled();
  await user.type(screen.getByLabelText("Name"), "!");
  await user.click(button("Save to the draft"));
  await screen.findByText("is taken");
  await user.type(screen.getByLabelText("Name"), "{Backspace}?");
  await waitFor(() => expect(screen.queryByText("is taken")).toBeNull());
  expect(screen.getByLabelText<HTMLInputElement>("Name").value).toBe("National?");
});

test("an edit that another overtook is kept, and saved over theirs only when that is asked for", async () => {
  let stands: Path = { ...national, name: "National and mobile" };
  const put = vi.fn<Put>(async ({ is, was }, asked, draft) => {
    if (asked.try) return { id: is.id, elsewhere: [] };
    if (was?.name !== stands.name) {
      draft(stands);
      throw new Problem(409, { detail: "the path was not saved: it changed meanwhile" });
    }
    stands = is;
    draft(is);
    return { id: is.id, elsewhere: [] };
  });
  const user = show(put);
  await user.type(screen.getByLabelText("Name"), "!");
  await user.click(button("Save to the draft"));
  await screen.findByText("Changed by another meanwhile");
  expect(screen.getByLabelText<HTMLInputElement>("Name").value).toBe("National!");
  await user.click(button("Overwrite"));
  await waitFor(() => expect(stands.name).toBe("National!"));
});
