// Files of the configured archives: searched, and taken in as if they came from this computer.
import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, take, type S } from "../client/api";
import { Trouble, useDebounced } from "../common/bits";

export function ArchiveShelf({
  study,
  took,
  failed,
}: {
  study: string;
  took: (found: S["UploadOut"]) => void;
  failed: (error: unknown) => void;
}) {
  const { data } = useQuery({
    queryKey: ["archives"],
    staleTime: Infinity,
    queryFn: () => take(api.GET("/api/archives")),
  });
  const [chosen, setChosen] = useState("");
  const [text, setText] = useState("");
  const archive = data?.find((a) => a.name === chosen) ?? data?.[0];
  const words = useDebounced(text, 250);
  const files = useQuery({
    queryKey: ["archive", archive?.name, words],
    enabled: archive !== undefined,
    retry: false,
    placeholderData: (old) => old,
    queryFn: () =>
      take(
        api.GET("/api/archives/{name}/files", { params: { path: { name: archive?.name ?? "" }, query: { q: words } } }),
      ),
  });
  const open = useMutation({
    mutationFn: (file: string) =>
      take(
        api.POST("/api/studies/{study_id}/archives/{name}/files/{file_id}", {
          params: { path: { study_id: study, name: archive?.name ?? "", file_id: file } },
        }),
      ),
    onSuccess: took,
    onError: failed,
  });
  if (!archive) return null;
  return (
    <section className="rule mt-8 border-t pt-5" aria-labelledby="archive">
      <div className="flex flex-wrap items-baseline gap-x-4 gap-y-2">
        <h2 id="archive" className="font-semibold">
          Or open a file from an archive
        </h2>
        {(data?.length ?? 0) > 1 && (
          <select
            className="select select-sm w-56"
            aria-label="Archive"
            value={archive.name}
            onChange={(e) => setChosen(e.target.value)}
          >
            {data?.map((a) => (
              <option key={a.name}>{a.name}</option>
            ))}
          </select>
        )}
        <input
          className="input input-sm w-64"
          type="search"
          aria-label={`Search ${archive.name}`}
          placeholder={`Search ${archive.name}`}
          value={text}
          onChange={(e) => setText(e.target.value)}
        />
      </div>
      {archive.words && <p className="muted mt-1 text-[0.9rem]">{archive.words}</p>}
      {files.error !== null && <Trouble error={files.error} />}
      <ul className="mt-2">
        {files.data?.map((f) => (
          <li key={f.id} className="rule flex items-baseline gap-4 border-b py-2">
            <span className="min-w-0 flex-1">
              <span className="font-semibold">{f.title}</span> <span className="muted">{f.description}</span>
            </span>
            <span className="muted shrink-0 text-[0.85rem]">
              {f.filename}, {Math.max(1, Math.round(f.size / 1000))} kB
            </span>
            <button
              type="button"
              className="link-quiet"
              disabled={open.isPending}
              aria-label={`Open ${f.title}`}
              onClick={() => open.mutate(f.id)}
            >
              Open
            </button>
          </li>
        ))}
        {files.data?.length === 0 && <li className="muted py-2">Nothing there has these words.</li>}
      </ul>
    </section>
  );
}
