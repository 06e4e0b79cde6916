// Size on the page, type and lines; and the study's own style, which new figures follow.
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { api, take, type Figure, type S } from "../client/api";
import { refreshStudy } from "../client/hooks";
import { say, sayProblem } from "../common/toasts";
import type { Change } from "./appearance";
import { Check, Choice, Num } from "./controls";

const LOOK = ["face", "type_pt", "line_pt", "width_mm", "height_mm", "grid", "legend"] as const;

export function SizeAndStyle({ state, change, study }: { state: S["FigureState"]; change: Change; study: string }) {
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
      <div className="grid grid-cols-2 gap-2">
        <Num
          label="Width, mm"
          value={f.width_mm}
          min={15}
          max={400}
          set={(v) => v !== null && change({ width_mm: v })}
        />
        <Num
          label="Height, mm"
          value={f.height_mm}
          min={15}
          max={400}
          set={(v) => v !== null && change({ height_mm: v })}
        />
        <Num label="Type, pt" value={f.type_pt} min={4} max={24} set={(v) => v !== null && change({ type_pt: v })} />
        <Num label="Lines, pt" value={f.line_pt} min={0.25} max={4} set={(v) => v !== null && change({ line_pt: v })} />
      </div>
      <p className="flex gap-4 text-sm">
        <button type="button" className="link-quiet" onClick={() => change({ width_mm: 85 })}>
          One column (85)
        </button>
        <button type="button" className="link-quiet" onClick={() => change({ width_mm: 170 })}>
          Two columns (170)
        </button>
      </p>
      <Choice
        label="Typeface"
        value={f.face ?? "Commissioner"}
        options={{ Commissioner: "Commissioner", "STIX Two Text": "STIX Two Text" }}
        set={(v) => change({ face: v as Figure["face"] })}
      />
      <Check label="Lines of a grid" value={f.grid ?? true} set={(grid) => change({ grid })} />
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
