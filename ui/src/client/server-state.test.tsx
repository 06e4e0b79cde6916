import { act, renderHook, screen, waitFor } from "@testing-library/react";
import { QueryClient, QueryClientProvider, useQueryClient } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { MemoryRouter } from "react-router";
import { beforeEach, describe, expect, it, vi } from "vitest";
import { Toasts } from "../common/toasts";
import { useDrawing } from "../figure/use-drawing";
import { useTakeUp } from "../question/take-up";
import { server, show, type Reply } from "../testing/kit";
import { fetchFile, Problem, sendFile, take, upload, type S, type TableBlock } from "./api";
import { movesSoFar, onTheWay, refreshStudy, takeAround, useUndo } from "./hooks";

const STUDY = "/api/studies/s1";

/** A hook with the state of the server around it. */
function held<T>(use: () => T, replies: Record<string, Reply> = {}) {
  const sent = server(replies);
  const client = new QueryClient({ defaultOptions: { queries: { retry: false, staleTime: 60_000 } } });
  const wrapper = ({ children }: { children: ReactNode }) => (
    <QueryClientProvider client={client}>
      <MemoryRouter>{children}</MemoryRouter>
    </QueryClientProvider>
  );
  return { sent, client, ...renderHook(use, { wrapper }) };
}

describe("an answer of the server", () => {
  const reply = (body: unknown, status = 200) =>
    Promise.resolve({ ...(status < 400 ? { data: body } : { error: body }), response: new Response(null, { status }) });

  it("is its data, or a problem with its place", async () => {
    expect(await take(reply({ a: 1 }))).toEqual({ a: 1 });
    const detail = { detail: "No column of that name.", column: "x", rows: [3], position: 4, status: 422 };
    await expect(take(reply(detail, 422))).rejects.toMatchObject({
      message: detail.detail,
      column: "x",
      rows: [3],
      position: 4,
    });
  });

  it("that never came says what to look at", async () => {
    await expect(take(Promise.reject(new TypeError("network")))).rejects.toThrow("Is it still running?");
    await expect(take(reply(undefined, 502))).rejects.toBeInstanceOf(Problem);
  });
});

describe("files", () => {
  it("are sent with their names, in any alphabet", async () => {
    const sent = server({ [`POST ${STUDY}/uploads`]: { body: { id: "u1" } } });
    expect(await upload("s1", "a,b", "größe – 1.csv")).toEqual({ id: "u1" });
    expect(decodeURIComponent(sent[0]!.headers.get("x-filename")!)).toBe("größe – 1.csv");
    expect(sent[0]!.headers.get("content-type")).toBe("application/octet-stream");
  });

  it("that are refused say why; an answer that is none is no file", async () => {
    server({ "POST /x": { status: 422, body: { detail: "This is no table.", status: 422 } } });
    await expect(sendFile("/x", "a")).rejects.toThrow("This is no table.");
    vi.stubGlobal("fetch", async () => new Response("<html>", { status: 200 }));
    await expect(sendFile("/x", "a")).rejects.toBeInstanceOf(Problem);
  });

  it("come under the names they were given", async () => {
    const named = (header: string | null) =>
      vi.stubGlobal(
        "fetch",
        async () => new Response("data", { headers: header ? { "content-disposition": header } : {} }),
      );
    named("attachment; filename*=UTF-8''gr%C3%B6%C3%9Fe.csv");
    expect((await fetchFile("/a/b.svg?dpi=3")).name).toBe("größe.csv");
    named('attachment; filename="two words.pdf"');
    expect((await fetchFile("/a/b.svg")).name).toBe("two words.pdf");
    named(null);
    expect((await fetchFile("/a/image.png?dpi=300")).name).toBe("image.png");
  });
});

describe("undo", () => {
  it("waits for changes that are on their way, and tells what it took back", async () => {
    const order: string[] = [];
    const { result } = held(() => useUndo("s1"), {
      [`POST ${STUDY}/undo`]: () => (order.push("undo"), { body: { label: "Rename Beds", item_id: null } }),
    });
    show(<Toasts />);
    let kept: () => void = () => undefined;
    onTheWay(new Promise<void>((done) => (kept = () => (order.push("kept"), done()))));
    const before = movesSoFar();
    act(() => result.current.mutate("undo"));
    await act(() => new Promise((r) => setTimeout(r, 30)));
    expect(order).toEqual([]);
    kept();
    expect(await screen.findByText("Undone: rename Beds")).toBeTruthy();
    expect(order).toEqual(["kept", "undo"]);
    expect(movesSoFar()).toBe(before + 2);
  });

  it("goes on after a change that failed", async () => {
    const { result } = held(() => useUndo("s1"), { [`POST ${STUDY}/redo`]: { body: { label: null, item_id: null } } });
    show(<Toasts />);
    onTheWay(Promise.reject(new Error("refused")));
    act(() => result.current.mutate("redo"));
    expect(await screen.findByText("Nothing to redo")).toBeTruthy();
  });
});

describe("the contents", () => {
  const contents = {
    study: {},
    entries: [
      { id: "a", name: "A" },
      { id: "b", name: "B" },
    ],
    undo: null,
    redo: null,
  };
  const around = { entry: { id: "b", name: "B, changed" }, undo: "Change B", redo: null } as unknown as S["Around"];

  it("change by one entry at once, and are asked for when the hand rests", async () => {
    vi.useFakeTimers();
    const { client } = held(() => null);
    client.setQueryData(["contents", "s1"], contents);
    const asked = vi.spyOn(client, "invalidateQueries");
    takeAround(client, "s1", around);
    takeAround(client, "s1", around);
    expect(client.getQueryData<S["Contents"]>(["contents", "s1"])).toMatchObject({
      entries: [{ name: "A" }, { name: "B, changed" }],
      undo: "Change B",
    });
    expect(asked).not.toHaveBeenCalled();
    vi.advanceTimersByTime(1600);
    expect(asked).toHaveBeenCalledTimes(1);
    vi.useRealTimers();
  });

  it("are asked for at once where nothing is told of them", () => {
    const { client } = held(() => null);
    const asked = vi.spyOn(client, "invalidateQueries");
    takeAround(client, "s1", null);
    expect(asked).toHaveBeenCalledWith({ queryKey: ["contents", "s1"] });
  });

  it("and all else of a study are asked for anew, but nothing of another study", async () => {
    const { client } = held(() => null);
    for (const key of [["contents", "s1"], ["question", "s1", "q1"], ["contents", "s2"], ["studies"], ["catalogue"]])
      client.setQueryData(key, {});
    await refreshStudy(client, "s1");
    const stale = client
      .getQueryCache()
      .getAll()
      .filter((q) => q.state.isInvalidated)
      .map((q) => q.queryKey.join(" "));
    expect(stale.sort()).toEqual(["contents s1", "question s1 q1", "studies"]);
  });
});

describe("what an answer gives back", () => {
  const state = {
    id: "q1",
    name: "Minutes",
    table: "t1",
    method: "linear",
    spec: { terms: ["a"] },
  } as unknown as S["QuestionState"];
  const table = (steps: object[]) => ({ revision: 7, steps }) as unknown as S["TableOut"];

  beforeEach(() => void show(<Toasts />));

  it("becomes columns of the table once", async () => {
    const replies = { [`PUT ${STUDY}/tables/t1/steps`]: { body: {} } };
    const first = held(() => useTakeUp("s1", state, table([{ step: "sort" }])), replies);
    expect(await act(() => first.result.current.addColumns())).toBe(true);
    expect(first.sent.find((s) => s.method === "PUT")!.body).toEqual({
      steps: [{ step: "sort" }, { step: "from_answer", method: "linear", spec: { terms: ["a"] } }],
      label: "Add columns of Minutes",
    });
    const there = held(
      () => useTakeUp("s1", state, table([{ step: "from_answer", method: "linear", spec: { terms: ["a"] } }])),
      replies,
    );
    expect(await act(() => there.result.current.addColumns())).toBe(true);
    expect(there.sent).toEqual([]);
    expect(await screen.findByText("They are in the table already")).toBeTruthy();
  });

  it("says why it cannot, and that it did not", async () => {
    const refused = { status: 422, body: { detail: "There are columns of that name.", status: 422 } };
    const { result } = held(() => useTakeUp("s1", state, table([])), { [`PUT ${STUDY}/tables/t1/steps`]: refused });
    expect(await act(() => result.current.addColumns())).toBe(false);
    expect(await screen.findByText("There are columns of that name.")).toBeTruthy();
  });

  it("becomes a table of its own, with a name that fits", async () => {
    const { result, sent } = held(() => useTakeUp("s1", { ...state, name: "M".repeat(190) }, table([])), {
      [`POST ${STUDY}/tables/t1/derived`]: { body: { table: { id: "t9" } } },
    });
    await act(
      async () => void (await result.current.makeTable({ id: "pairs", title: "All pairs of groups" } as TableBlock)),
    );
    const body = sent[0]!.body as { name: string; steps: unknown };
    expect([body.name.length, body.steps]).toEqual([
      200,
      [{ step: "table_of_answer", method: "linear", spec: { terms: ["a"] }, block: "pairs" }],
    ]);
  });
});

/** A figure as the client knows it now. */
const useDrawn = () => useDrawing("s1", "f1", useQueryClient().getQueryData<S["FigureState"]>(["figure", "s1", "f1"]));

describe("a drawing", () => {
  const state = (more: object) =>
    ({
      figure: { kind: "groups" },
      out_of_date: true,
      problem: null,
      job: null,
      ...more,
    }) as unknown as S["FigureState"];
  const DRAW = `POST ${STUDY}/figures/f1/draw`;

  it("is asked for where it is out of date, and not where nothing can be drawn", async () => {
    const { sent, client, rerender } = held(useDrawn, { [DRAW]: { body: state({ out_of_date: false }) } });
    for (const one of [state({ problem: { message: "no" } }), state({ job: null, out_of_date: false })]) {
      client.setQueryData(["figure", "s1", "f1"], one);
      rerender();
    }
    expect(sent).toEqual([]);
    client.setQueryData(["figure", "s1", "f1"], state({}));
    rerender();
    rerender();
    await waitFor(() => expect(client.getQueryData<S["FigureState"]>(["figure", "s1", "f1"])?.out_of_date).toBe(false));
    expect(sent.length).toBe(1);
  });

  it("of a sentence that has changed meanwhile is not taken over", async () => {
    const { client, rerender } = held(useDrawn, {
      [DRAW]: { body: state({ out_of_date: false, revision: 1 }) },
    });
    client.setQueryData(["figure", "s1", "f1"], state({}));
    rerender();
    client.setQueryData(["figure", "s1", "f1"], state({ figure: { kind: "relation" }, out_of_date: false }));
    await act(() => new Promise((r) => setTimeout(r, 40)));
    expect(client.getQueryData<S["FigureState"]>(["figure", "s1", "f1"])?.figure.kind).toBe("relation");
  });
});
