// Size on the page, type and lines; and the study's own style, which new figures follow.
import type { ReactNode } from "react";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { api, take, type S } from "../client/api";
import { refreshStudy } from "../client/hooks";
import { say, sayProblem } from "../common/toasts";
import type { Change } from "./appearance";

const LOOK = ["face", "type_pt", "line_pt", "width_mm", "height_mm", "grid", "legend"] as const;

export function SizeAndStyle({
  state,
  change,
  study,
  children,
}: {
  state: S["FigureState"];
  change: Change;
  study: string;
  children: ReactNode;
}) {
  const f = state.figure;
  const client = useQueryClient();
  const where = { params: { path: { study_id: study } } };
  const { data: style } = useQuery({
    queryKey: ["style", study],
    queryFn: () => take(api.GET("/api/studies/{study_id}/figures/style", where)),
  });
  const put = (body: S["StyleChange"], words: string) =>
    void take(api.PUT("/api/studies/{study_id}/figures/style", { ...where, body })).then(
      () => (say(words), refreshStudy(client, study)),
      sayProblem,
    );
  const look = Object.fromEntries(LOOK.map((k) => [k, f[k]])) as S["Look"];
  return (
    <>
      {children}
      <p className="flex gap-4 text-sm">
        <button type="button" className="link-quiet" onClick={() => change({ width_mm: 85 })}>
          One column (85)
        </button>
        <button type="button" className="link-quiet" onClick={() => change({ width_mm: 170 })}>
          Two columns (170)
        </button>
      </p>
      <fieldset className="pt-1">
        <legend className="muted mb-1 text-[0.86rem]">Style of the study</legend>
        <div className="flex flex-wrap gap-x-4 gap-y-1 text-sm">
          {Object.entries(style?.presets ?? {}).map(([id, words]) => (
            <button
              key={id}
              type="button"
              className={`link-quiet ${style?.preset === id ? "font-semibold underline" : ""}`}
              aria-pressed={style?.preset === id}
              title={words}
              onClick={() => put({ preset: id as "journal", all: false }, `New figures follow ${words.toLowerCase()}`)}
            >
              {words.split(":")[0]}
            </button>
          ))}
        </div>
        <p className="mt-1 flex flex-wrap gap-x-4 gap-y-1 text-sm">
          <button
            type="button"
            className="link-quiet"
            onClick={() => put({ look, all: false }, "New figures will look like this one")}
          >
            New figures like this one
          </button>
          <button
            type="button"
            className="link-quiet"
            onClick={() =>
              put({ preset: null, look: style?.look, all: true }, "Every figure of the study follows its style")
            }
          >
            All figures in this style
          </button>
        </p>
      </fieldset>
    </>
  );
}
