// What is here and what it says so far.
import { cx } from "../common/classes";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, take, type Entry, type Span } from "../client/api";
import { refreshStudy, useContents, useStudyId } from "../client/hooks";
import { EditableName, Empty, Loading, Trouble } from "../common/bits";
import { path } from "../common/contents";
import { Picture } from "../common/picture";
import { Spans } from "../common/spans";
import { say, sayProblem } from "../common/toasts";

export function OverviewPage() {
  const study = useStudyId();
  const { data, error } = useContents(study);
  const client = useQueryClient();
  // What all answers say comes with one look, not with one for each.
  const statements = useQuery({
    queryKey: ["statements", study],
    queryFn: () => take(api.GET("/api/studies/{study_id}/statements", { params: { path: { study_id: study } } })),
  });
  const said = (id: string) => statements.data && (statements.data.find((s) => s.id === id)?.spans ?? null);
  if (error)
    return (
      <div className="p-8">
        <Trouble error={error}>
          <Link className="link-quiet" to="/">
            All studies
          </Link>
        </Trouble>
      </div>
    );
  if (!data) return <Loading />;
  const of = (type: Entry["type"]) => data.entries.filter((e) => e.type === type);
  const rename = (name: string) =>
    void take(api.PATCH("/api/studies/{study_id}", { params: { path: { study_id: study } }, body: { name } })).then(
      () => refreshStudy(client, study),
      sayProblem,
    );
  const old = data.entries.filter((e) => e.out_of_date);
  const renewAll = () =>
    void take(api.POST("/api/studies/{study_id}/renew", { params: { path: { study_id: study } } })).then(
      async (troubles) => {
        await refreshStudy(client, study);
        say(troubles.length ? troubles.join(" ") : "Everything is up to date", undefined, troubles.length > 0);
      },
      sayProblem,
    );
  return (
    <div className="mx-auto max-w-5xl px-8 py-8">
      <EditableName name={data.study.name} rename={rename} label="the study" className="text-2xl font-bold" />
      {old.length > 0 && (
        <p className="mt-2">
          {old.length === 1 ? `${old[0]?.name} is out of date.` : `${old.length} entries are out of date.`}{" "}
          <button className="link-quiet" onClick={renewAll}>
            Renew
          </button>
        </p>
      )}
      {data.entries.length === 0 ? (
        <Empty title="This study is empty">
          Bring in a file: choose it, drop it, or paste copied cells. Then ask about its columns.
          <div className="mt-4">
            <Link className="btn btn-primary" to={`/s/${study}/bring`}>
              Bring in a table
            </Link>
          </div>
        </Empty>
      ) : (
        <>
          <Section title="Tables">
            <ul
              className={cx(
                "grid gap-x-10",
                of("table").length > 8 ? "grid-cols-3 max-[1100px]:grid-cols-2" : "grid-cols-2",
              )}
            >
              {of("table").map((e) => (
                <li key={e.id} className="rule border-b py-2.5">
                  <Link to={path(study, e)} className="font-semibold hover:underline">
                    {e.name}
                  </Link>
                  <span className={`muted ${of("table").length > 8 ? "block text-[0.85rem] leading-tight" : "ml-3"}`}>
                    {e.line}
                  </span>
                </li>
              ))}
            </ul>
          </Section>
          <Section title="What it says so far">
            {of("question").length === 0 && (
              <p className="muted">No question has been asked yet. Open a table and choose “Ask about this table”.</p>
            )}
            {of("question").map((e) => (
              <Said key={e.id} study={study} entry={e} said={said(e.id)} />
            ))}
          </Section>
          {of("figure").length > 0 && (
            <Section title="Figures">
              <ul className="grid grid-cols-3 gap-8">
                {of("figure").map((e) => (
                  <SmallFigure key={e.id} study={study} entry={e} />
                ))}
              </ul>
            </Section>
          )}
          {of("report").length > 0 && (
            <Section title="Report">
              {of("report").map((e) => (
                <p key={e.id}>
                  <Link to={path(study, e)} className="font-semibold hover:underline">
                    {e.name}
                  </Link>
                  <span className="muted ml-3">{e.line}</span>
                </p>
              ))}
            </Section>
          )}
        </>
      )}
    </div>
  );
}

function Section({ title, children }: { title: string; children: React.ReactNode }) {
  return (
    <section className="mt-8">
      <h2 className="mb-2 text-lg font-bold">{title}</h2>
      {children}
    </section>
  );
}

function Said({ study, entry, said }: { study: string; entry: Entry; said: Span[] | null | undefined }) {
  return (
    <div className="rule border-b py-3">
      <Link to={path(study, entry)} className="font-semibold hover:underline">
        {entry.name}
      </Link>
      {entry.out_of_date && <span className="badge badge-sm ml-3">out of date</span>}
      <p className="mt-1 max-w-3xl font-serif text-[1.08rem] leading-relaxed">
        {said ? <Spans spans={said} /> : <span className="muted">{said === null ? "No answer yet." : "…"}</span>}
      </p>
    </div>
  );
}

function SmallFigure({ study, entry }: { study: string; entry: Entry }) {
  const { data } = useQuery({
    queryKey: ["figure", study, entry.id],
    queryFn: () =>
      take(
        api.GET("/api/studies/{study_id}/figures/{item_id}", {
          params: { path: { study_id: study, item_id: entry.id } },
        }),
      ),
  });
  return (
    <li>
      <Link to={path(study, entry)} className="block font-semibold hover:underline">
        {entry.name}
      </Link>
      {data?.drawing ? (
        <Picture vega={data.drawing.vega} alt={data.drawing.alt} />
      ) : (
        <p className="muted text-sm">{data?.problem ? String(data.problem.message) : ""}</p>
      )}
    </li>
  );
}
