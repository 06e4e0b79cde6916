// What the tests of the interface share: a page around a part, columns to speak of, a server that answers as it is
// told to, and a field that keeps its value as a page does.
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { cleanup, render } from "@testing-library/react";
import { useState, type ReactElement } from "react";
import { MemoryRouter, Route, Routes, useLocation } from "react-router";
import { afterEach, beforeEach, vi } from "vitest";
import { AskField } from "../asking/ask-field";
import type { Around, Fields, Property } from "../asking/ask";
import type { Column } from "../client/api";

/** What a page without a browser lacks: nothing is measured, scrolled or kept from test to test. */
class Unmeasured {
  observe() {}
  unobserve() {}
  disconnect() {}
}

beforeEach(() => {
  localStorage.clear();
  Element.prototype.scrollIntoView ??= () => undefined;
  HTMLDialogElement.prototype.showModal ??= function (this: HTMLDialogElement) {
    this.open = true;
  };
  vi.stubGlobal("ResizeObserver", Unmeasured);
});
afterEach(cleanup);

export function column(name: string, kind: Column["kind"] = "measure", more: Partial<Column> = {}): Column {
  return { name, kind, decimals: 1, levels: [], empty_codes: [], empty_meanings: {}, ...more };
}

export function levels(...values: string[]): Column["levels"] {
  return values.map((value) => ({ value })) as Column["levels"];
}

export const COLUMNS: Column[] = [
  column("height", "measure", { label: "Plant height", unit: "cm" }),
  column("leaves", "count", { decimals: 0 }),
  column("bed", "category", { label: "Bed", levels: levels("north", "south", "west") }),
  column("watered", "yes_no", { levels: levels("no", "yes") }),
  column("vigour", "ordered", { levels: levels("low", "middle", "high") }),
  column("note", "text"),
];

export function aroundOf(more: Partial<Around> = {}): Around {
  return { columns: COLUMNS, spec: {}, study: "s1", table: "t1", ...more };
}

/** Answers of the server by method and path; what was sent is kept in `sent`. */
export type Reply = { status?: number; body?: unknown } | ((sent: Sent) => { status?: number; body?: unknown });
export type Sent = { method: string; path: string; query: URLSearchParams; body: unknown; headers: Headers };

export function server(replies: Record<string, Reply>): Sent[] {
  const sent: Sent[] = [];
  vi.stubGlobal("fetch", async (input: Request | string, init?: RequestInit) => {
    const request = input instanceof Request ? input : new Request(new URL(input, "http://yavik.test"), init);
    const url = new URL(request.url, "http://yavik.test");
    const text = await request.text();
    const one: Sent = {
      method: request.method,
      path: url.pathname,
      query: url.searchParams,
      body: text.startsWith("{") || text.startsWith("[") ? JSON.parse(text) : text,
      headers: request.headers,
    };
    sent.push(one);
    const reply = replies[`${one.method} ${one.path}`];
    const { status = 200, body } = typeof reply === "function" ? reply(one) : (reply ?? { status: 404, body: GONE });
    return new Response(JSON.stringify(body ?? null), {
      status,
      headers: { "content-type": "application/json" },
    });
  });
  return sent;
}

const GONE = { detail: "This is no longer in the study.", status: 404 };

/** Where the page has gone to. */
export const place = { now: "" };

function Here() {
  const { pathname, search } = useLocation();
  place.now = pathname + search;
  return null;
}

/** A part of a page, with what stands around every page. */
export function show(part: ReactElement, at = "/s/s1", pattern = "/s/:study/*", known: [unknown[], unknown][] = []) {
  const client = new QueryClient({ defaultOptions: { queries: { retry: false, staleTime: 60_000 } } });
  known.forEach(([key, data]) => client.setQueryData(key, data));
  const whole = (inner: ReactElement) => (
    <QueryClientProvider client={client}>
      <MemoryRouter initialEntries={[at]}>
        <Here />
        <Routes>
          <Route path={pattern} element={inner} />
          <Route path="*" element={null} />
        </Routes>
      </MemoryRouter>
    </QueryClientProvider>
  );
  const shown = render(whole(part));
  return { ...shown, client, again: (inner: ReactElement) => shown.rerender(whole(inner)) };
}

/** A field as a page holds it: what it sets is what it shows next. `set` are all values it was set to. */
export function field(
  property: Property,
  start: unknown,
  more: {
    around?: Partial<Around>;
    bare?: boolean;
    name?: string;
    needed?: boolean;
    known?: [unknown[], unknown][];
  } = {},
) {
  const set: unknown[] = [];
  const specs: Fields[] = [];
  const name = more.name ?? "field";
  let put: (value: unknown) => void = () => undefined;
  function Page() {
    const [value, setValue] = useState(start);
    const [spec, setSpec] = useState<Fields>(more.around?.spec ?? {});
    put = setValue;
    const around = aroundOf({
      ...more.around,
      spec: { ...spec, [name]: value },
      setSpec: (next) => {
        specs.push(next);
        setSpec(next);
        if (name in next) setValue(next[name]);
      },
    });
    const keep = (next: unknown) => (set.push(next), setValue(next));
    return (
      <AskField
        name={name}
        property={property}
        value={value}
        set={keep}
        around={around}
        bare={more.bare}
        needed={more.needed}
      />
    );
  }
  const shown = show(<Page />, undefined, undefined, more.known);
  return { ...shown, set, specs, put: (value: unknown) => put(value) };
}
