// Long work: what it is doing, how far it is, and a way to stop it.
import { useEffect, useMemo, useRef, useState } from "react";
import { api, take, type Job } from "../client/api";
import { Picture } from "./picture";
import { sayProblem } from "./toasts";

const ENDED = ["done", "problem", "failed", "stopped"];

/** Tells of each change of a job until it has ended; returns a way to look away. */
function watch(job: Job, tell: (job: Job) => void): () => void {
  const source = new EventSource(`/api/studies/${job.study_id}/jobs/${job.id}/events`);
  let last = job;
  source.onmessage = (event) => {
    last = JSON.parse(event.data as string) as Job;
    if (ENDED.includes(last.state)) source.close();
    tell(last);
  };
  // A connection that broke is tried again by the browser. One that is refused means that nobody knows of the work any
  // more: it ended with the server that did it.
  source.onerror = () => {
    if (source.readyState === EventSource.CLOSED && !ENDED.includes(last.state)) tell({ ...last, ...LOST });
  };
  return () => source.close();
}

const LOST = { state: "failed", what: "The work ended with the server that did it.", problem: null } as const;

/** Waits for a job's end, where there is one. */
export function endOf(job: Job | null | undefined): Promise<void> {
  if (!job) return Promise.resolve();
  return new Promise((done) => watch(job, (now) => ENDED.includes(now.state) && done()));
}

/** Follows a job to its end; null when there is none or it has ended. */
export function useJob(first: Job | null | undefined, ended: (job: Job) => void): Job | null {
  const [job, setJob] = useState<Job | null>(first ?? null);
  const tell = useRef(ended);
  useEffect(() => {
    tell.current = ended;
  });
  const id = first?.id;
  const begun = useRef(first);
  useEffect(() => {
    begun.current = first;
  });
  useEffect(() => {
    if (!id || !begun.current) {
      setJob(null);
      return;
    }
    return watch(begun.current, (now) => {
      setJob(now);
      if (ENDED.includes(now.state)) tell.current(now);
    });
  }, [id]);
  return job && job.id === id && !ENDED.includes(job.state) ? job : null;
}

/** A time to come, as exactly as it can be known. */
export function timeWords(seconds: number): string {
  if (seconds < 90) return `${seconds} s`;
  if (seconds < 90 * 60) return `${Math.round(seconds / 60)} min`;
  return `${Math.round(seconds / 3600)} h`;
}

export function stopJob(job: Job): void {
  const path = { study_id: job.study_id, job_id: job.id };
  void take(api.DELETE("/api/studies/{study_id}/jobs/{job_id}", { params: { path } })).catch(sayProblem);
}

export function JobBar({ job }: { job: Job }) {
  // Each event brings the drawing anew; it is drawn again only where it differs.
  const text = JSON.stringify(job.shown ?? null);
  const shown = useMemo(() => JSON.parse(text) as object | null, [text]);
  const left =
    job.part > 0.08 && job.seconds > 2 ? Math.max(1, Math.round((job.seconds / job.part) * (1 - job.part))) : null;
  return (
    <>
      <div className="flex items-center gap-4 py-3" role="group" aria-label={job.title}>
        <div className="min-w-60 flex-1">
          <div className="mb-1 flex justify-between text-sm">
            <span>
              {job.title}: {job.what}
            </span>
            <span className="muted">{left ? `about ${timeWords(left)} left` : ""}</span>
          </div>
          <progress className="progress progress-primary w-full" value={job.part} max={1} aria-label={job.title} />
        </div>
        <button className="btn btn-sm" onClick={() => stopJob(job)}>
          Stop
        </button>
      </div>
      {shown && (
        <figure className="mb-3">
          <figcaption className="muted text-sm">The best so far</figcaption>
          <Picture vega={shown} alt="The best so far" />
        </figure>
      )}
    </>
  );
}
