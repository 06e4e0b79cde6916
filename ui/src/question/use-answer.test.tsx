import { act, renderHook, waitFor } from "@testing-library/react";
import { QueryClient, QueryClientProvider, useQuery } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { describe, expect, it } from "vitest";
import { api, take, type S } from "../client/api";
import { server, type Reply, type Sent } from "../testing/kit";
import { fieldOf, problemOf, useAnswer } from "./use-answer";

type State = S["QuestionState"];
const WHERE = "/api/studies/s1/questions/q1";

/** A question as the server keeps it. */
const state = (more: Partial<State> = {}) =>
  ({
    id: "q1",
    name: "Question",
    table: "t1",
    method: "compare_two",
    layout: "groups",
    spec: { response: "height" },
    revision: 3,
    ready: true,
    out_of_date: false,
    answer: null,
    job: null,
    problem: null,
    upgrade: null,
    around: null,
    ...more,
  }) as unknown as State;
const ANSWER = { blocks: [], facts: {} } as unknown as State["answer"];
const answered = (more: Partial<State> = {}) => state({ answer: ANSWER, ...more });

function question(start: State, replies: Record<string, Reply> = {}) {
  const sent = server({
    [`GET ${WHERE}`]: { body: start },
    "GET /api/studies/s1": { body: { entries: [] } },
    ...replies,
  });
  const client = new QueryClient({ defaultOptions: { queries: { retry: false, staleTime: 60_000 } } });
  const wrapper = ({ children }: { children: ReactNode }) => (
    <QueryClientProvider client={client}>{children}</QueryClientProvider>
  );
  const hook = renderHook(
    () => {
      const { data } = useQuery({
        queryKey: ["question", "s1", "q1"],
        queryFn: () =>
          take(
            api.GET("/api/studies/{study_id}/questions/{item_id}", {
              params: { path: { study_id: "s1", item_id: "q1" } },
            }),
          ),
      });
      return { state: data, ...useAnswer("s1", "q1", data) };
    },
    { wrapper },
  );
  const did = (method: string) => sent.filter((s: Sent) => s.method === method);
  return { ...hook, client, did };
}

describe("an answer", () => {
  it("is asked for once where the sentence is ready and has none", async () => {
    const { result, did } = question(state(), { [`POST ${WHERE}/answer`]: { body: answered({ revision: 4 }) } });
    await waitFor(() => expect(result.current.state?.answer).toEqual(ANSWER));
    expect(did("POST").length).toBe(1);
    expect(result.current.computing).toBe(false);
  });

  it("is not asked for where it is there, where slots are open, or where an upgrade waits for a word", async () => {
    for (const one of [
      answered(),
      state({ ready: false }),
      answered({ out_of_date: true, upgrade: { waiting: true } as State["upgrade"] }),
    ]) {
      const { result, did, unmount } = question(one);
      await waitFor(() => expect(result.current.state).toBeTruthy());
      await act(() => Promise.resolve());
      expect(did("POST")).toEqual([]);
      unmount();
    }
  });

  it("that cannot be given is a problem, asked for no more", async () => {
    const told = {
      detail: "The column height holds 2 rows; at least 3 are needed.",
      column: "height",
      rows: [4],
      status: 422,
    };
    const { result, did } = question(state(), { [`POST ${WHERE}/answer`]: { status: 422, body: told } });
    await waitFor(() => expect(result.current.problem?.message).toBe(told.detail));
    expect(result.current.problem).toMatchObject({ column: "height", rows: [4] });
    expect(did("POST").length).toBe(1);
  });

  it("that takes long gives its work", async () => {
    const job = { id: "j1" } as unknown as State["job"];
    const { result } = question(state(), { [`POST ${WHERE}/answer`]: { body: state({ job }) } });
    await waitFor(() => expect(result.current.job).toEqual(job));
  });
});

describe("a changed sentence", () => {
  it("stands at once, is kept and answered in one request", async () => {
    const next = answered({ spec: { response: "leaves" }, revision: 4 });
    const { result, did } = question(answered(), { [`PATCH ${WHERE}`]: { body: next } });
    await waitFor(() => expect(result.current.state).toBeTruthy());
    act(() => result.current.change({ spec: { response: "leaves" } }));
    expect(result.current.state?.spec).toEqual({ response: "leaves" });
    await waitFor(() => expect(result.current.state?.revision).toBe(4));
    const [patch] = did("PATCH");
    expect(patch!.body).toEqual({ spec: { response: "leaves" } });
    expect(patch!.query.get("answer")).toBe("true");
    expect(patch!.headers.get("if-match")).toBe('"3"');
    expect(did("POST")).toEqual([]);
  });

  it("made twice before the page is drawn again loses neither", async () => {
    const { result, did } = question(answered(), { [`PATCH ${WHERE}`]: { body: answered({ revision: 4 }) } });
    await waitFor(() => expect(result.current.state).toBeTruthy());
    act(() => {
      const set = fieldOf(result.current.change);
      set("groups", "bed");
      set("alpha", 0.01);
    });
    expect(result.current.state?.spec).toEqual({ response: "height", groups: "bed", alpha: 0.01 });
    await waitFor(() => expect(did("PATCH").length).toBe(2));
    expect(did("PATCH")[1]?.body).toEqual({ spec: { response: "height", groups: "bed", alpha: 0.01 } });
  });

  it("is sent in order, each meant for what the one before made of it; only the last answer is shown", async () => {
    let revision = 3;
    const { result, did } = question(answered(), {
      [`PATCH ${WHERE}`]: (sent) => {
        const { spec } = sent.body as { spec: State["spec"] };
        return { body: answered({ spec, revision: ++revision, name: `after ${String(spec.response)}` }) };
      },
    });
    await waitFor(() => expect(result.current.state).toBeTruthy());
    const seen: string[] = [];
    act(() => result.current.change({ spec: { response: "a" } }));
    act(() => result.current.change({ spec: { response: "b" } }));
    act(() => result.current.change({ spec: { response: "c" } }));
    await waitFor(() => {
      seen.push(result.current.state!.name);
      expect(result.current.state?.name).toBe("after c");
    });
    expect(did("PATCH").map((s) => s.headers.get("if-match"))).toEqual(['"3"', '"4"', '"5"']);
    expect(new Set(seen)).toEqual(new Set(["Question", "after c"]));
  });

  it("that is refused says why, and the sentence stays as it was written", async () => {
    const problem = { message: "The column note holds texts.", column: "note" } as unknown as State["problem"];
    const { result, did } = question(answered(), {
      [`PATCH ${WHERE}`]: { body: answered({ spec: { response: "note" }, problem, out_of_date: true, revision: 4 }) },
    });
    await waitFor(() => expect(result.current.state).toBeTruthy());
    act(() => result.current.change({ spec: { response: "note" } }));
    await waitFor(() => expect(result.current.problem?.message).toBe("The column note holds texts."));
    expect(result.current.problem?.column).toBe("note");
    expect(result.current.state?.spec).toEqual({ response: "note" });
    expect(did("POST")).toEqual([]);
  });

  it("that another window met with a change of the same place is asked about", async () => {
    const { useOpenConflict } = await import("../client/together");
    const conflict = renderHook(() => useOpenConflict());
    const places = [{ path: ["spec", "response"], base: "height", theirs: "leaves", mine: "note" }];
    let kept: string | null = null;
    const { result, did } = question(answered(), {
      [`PATCH ${WHERE}`]: (sent) => {
        kept = sent.headers.get("keep");
        return kept
          ? { body: answered({ spec: { response: "note" }, revision: 9 }) }
          : { status: 409, body: { detail: "Changed elsewhere.", status: 409, places } };
      },
    });
    await waitFor(() => expect(result.current.state).toBeTruthy());
    act(() => result.current.change({ spec: { response: "note" } }));
    await waitFor(() => expect(conflict.result.current?.places).toEqual(places));
    act(() => conflict.result.current!.answer("mine"));
    await waitFor(() => expect(result.current.state?.revision).toBe(9));
    expect([kept, did("PATCH").length]).toEqual(["mine", 2]);
    expect(conflict.result.current).toBeNull();
  });

  it("gives way to the other window's where that is kept", async () => {
    const { useOpenConflict } = await import("../client/together");
    const conflict = renderHook(() => useOpenConflict());
    const places = [{ path: ["spec", "response"], base: "height", theirs: "leaves", mine: "note" }];
    const theirs = answered({ spec: { response: "leaves" }, revision: 8 });
    let now = answered();
    const { result } = question(answered(), {
      [`GET ${WHERE}`]: () => ({ body: now }),
      [`PATCH ${WHERE}`]: () => {
        now = theirs;
        return { status: 409, body: { detail: "Changed elsewhere.", status: 409, places } };
      },
    });
    await waitFor(() => expect(result.current.state).toBeTruthy());
    act(() => result.current.change({ spec: { response: "note" } }));
    await waitFor(() => expect(conflict.result.current).toBeTruthy());
    act(() => conflict.result.current!.answer("theirs"));
    await waitFor(() => expect(result.current.state?.spec).toEqual({ response: "leaves" }));
  });
});

describe("the problem that work ended with", () => {
  it("keeps its column and rows", () => {
    const job = { problem: { message: "Too few rows.", column: "height", rows: [3, 4] } } as never;
    expect(problemOf(job)).toMatchObject({ message: "Too few rows.", column: "height", rows: [3, 4] });
  });
});
