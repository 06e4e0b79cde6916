// The typed client: one place that talks to the server, and one kind of error.
import createClient from "openapi-fetch";
import type { components, paths } from "./schema.gen";

export type S = components["schemas"];
export type Entry = S["Entry"];
export type Column = S["Column"];
export type Job = S["JobOut"];
export type Span = S["Span"];
export type TableBlock = S["TableBlock"];
export type FigureBlock = S["FigureBlock"];
export type Answer = S["Answer"];
export type Method = S["MethodOut"];
export type Figure = S["Figure"];
export type Step = { step: string; id?: string; on?: boolean; [field: string]: unknown };

export const api = createClient<paths>({ baseUrl: "/", fetch: (request) => fetch(request) });

/** What the server says about something it could not do (RFC 9457). */
export class Problem extends Error {
  column?: string | null;
  rows?: number[] | null;
  position?: number | null;
  status?: number;
  places?: { path: (string | number)[]; base: unknown; theirs: unknown; mine: unknown }[];
  constructor(data: {
    detail?: string;
    column?: string | null;
    rows?: number[] | null;
    position?: number | null;
    status?: number;
    places?: Problem["places"];
  }) {
    super(data.detail ?? "The server could not be reached. Is it still running?");
    this.column = data.column;
    this.rows = data.rows;
    this.position = data.position;
    this.status = data.status;
    this.places = data.places;
  }
}

/** The data of a response, or a Problem. */
export async function take<T>(call: Promise<{ data?: T; error?: unknown; response: Response }>): Promise<T> {
  let result;
  try {
    result = await call;
  } catch {
    throw new Problem({});
  }
  if (result.error !== undefined || !result.response.ok) throw new Problem((result.error as object) ?? {});
  return result.data as T;
}

/** Sends a file as it is; what is wrong with it, or with the way there, is a Problem. */
export async function sendFile<T>(
  where: string,
  body: Blob | string,
  headers: Record<string, string> = {},
  signal?: AbortSignal,
): Promise<T> {
  let response, found;
  try {
    const type = { "content-type": "application/octet-stream" };
    response = await fetch(where, { method: "POST", body, headers: { ...type, ...headers }, signal });
    found = (await response.json()) as unknown;
  } catch {
    throw new Problem({});
  }
  if (!response.ok) throw new Problem(found as object);
  return found as T;
}

/** A file from the server, or the Problem in its place; a link would leave the page for the words of the problem. */
export async function fetchFile(where: string): Promise<{ data: Blob; name: string }> {
  let response;
  try {
    response = await fetch(where);
  } catch {
    throw new Problem({});
  }
  if (!response.ok) throw new Problem((await response.json().catch(() => ({}))) as object);
  const named = /filename\*?=(?:UTF-8'')?"?([^";]+)/.exec(response.headers.get("content-disposition") ?? "")?.[1];
  return { data: await response.blob(), name: decodeURIComponent(named ?? where.split("?")[0]!.split("/").pop()!) };
}

/** Saves a file of the server on this computer. */
export async function saveFile(where: string): Promise<void> {
  const { data, name } = await fetchFile(where);
  const link = document.createElement("a");
  link.href = URL.createObjectURL(data);
  link.download = name;
  link.click();
  window.setTimeout(() => URL.revokeObjectURL(link.href), 60_000);
}

export function upload(
  study: string,
  data: Blob | string,
  filename: string,
  signal?: AbortSignal,
): Promise<S["UploadOut"]> {
  return sendFile(`/api/studies/${study}/uploads`, data, { "x-filename": encodeURIComponent(filename) }, signal);
}
