// What a method answers, assumes and prints.
import { useQuery } from "@tanstack/react-query";
import { useNavigate, useParams } from "react-router";
import { api, take } from "../client/api";
import { Loading, Trouble } from "../common/bits";

export function MethodPage() {
  const { method = "" } = useParams();
  const go = useNavigate();
  const { data, error } = useQuery({
    queryKey: ["method", method],
    queryFn: () => take(api.GET("/api/catalogue/methods/{method}", { params: { path: { method } } })),
  });
  if (error)
    return (
      <div className="p-8">
        <Trouble error={error} />
      </div>
    );
  if (!data) return <Loading />;
  return (
    <article className="mx-auto max-w-3xl px-8 py-8 leading-relaxed">
      <h1 className="text-2xl font-bold">{data.sentence.replace(/\{(\w+)\}/g, "…")}</h1>
      <p className="muted">{data.title}</p>
      <button type="button" className="link-quiet mt-1 text-sm" onClick={() => go(-1)}>
        Back
      </button>
      <p className="statement mt-5">{data.answers}</p>
      <Part title="What it assumes">
        <ul className="list-disc pl-5">
          {data.assumes.map((a) => (
            <li key={a}>{a}</li>
          ))}
        </ul>
      </Part>
      <Part title="How to read it">
        <dl>
          {data.reading.map(([k, v]) => (
            <div key={String(k)} className="mb-2">
              <dt className="font-semibold">{String(k)}</dt>
              <dd>{String(v)}</dd>
            </div>
          ))}
        </dl>
      </Part>
      <Part title="Formulas">
        <dl>
          {data.formulas.map(([k, v]) => (
            <div key={String(k)} className="mb-2">
              <dt className="font-semibold">{String(k)}</dt>
              <dd className="font-serif">{String(v)}</dd>
            </div>
          ))}
        </dl>
      </Part>
      <Part title="Conventions">
        <ul className="list-disc pl-5">
          {data.conventions.map((a) => (
            <li key={a}>{a}</li>
          ))}
        </ul>
      </Part>
      <Part title="References">
        <ul className="font-serif">
          {data.references.map((a) => (
            <li key={a} className="mb-1">
              {a}
            </li>
          ))}
        </ul>
      </Part>
    </article>
  );
}

function Part({ title, children }: { title: string; children: React.ReactNode }) {
  return (
    <section className="mt-6">
      <h2 className="mb-2 text-lg font-bold">{title}</h2>
      {children}
    </section>
  );
}
