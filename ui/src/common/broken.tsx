// What is shown in a page's place when its script breaks: what happened, and the ways on. Nothing on the server is
// touched.
import { Link, useParams, useRouteError } from "react-router";

export function Broken() {
  const error = useRouteError();
  const { study } = useParams();
  return (
    <div className="mx-auto max-w-2xl px-8 py-12" role="alert">
      <h1 className="mb-3 text-2xl font-bold">This page could not be shown</h1>
      <p className="mb-5">
        Something in it went wrong while it was drawn. What you have kept is safe on the server; the page can be loaded
        again, and every other page still works.
      </p>
      <p className="flex gap-4">
        <button type="button" className="btn btn-primary" onClick={() => window.location.reload()}>
          Load it again
        </button>
        <Link className="btn" to={study ? `/s/${study}` : "/"} reloadDocument>
          {study ? "To the study" : "To all studies"}
        </Link>
      </p>
      <details className="mt-8">
        <summary className="muted cursor-pointer text-sm">What to tell whoever looks after Yavik</summary>
        <pre className="mt-2 overflow-auto text-[0.8rem]">{error instanceof Error ? error.message : String(error)}</pre>
      </details>
    </div>
  );
}
