// A statement that is known before its tables, pictures and checks.
import { useState } from "react";
import type { Job, S } from "../client/api";
import { Spans } from "../common/spans";

type Said = S["Span"][];

/** What work has said of the answer it is for, until it is over: the answer is there, or will not come. */
export function useEarly(job: Job | null, working: Job | null, over: boolean): Said | null {
  const [kept, setKept] = useState<{ id: string; said: Said } | null>(null);
  // Between the work's end and the answer's coming a moment passes, in which what was said stays.
  if (working?.said?.length && working.id !== kept?.id) setKept({ id: working.id, said: working.said });
  return !over && kept && kept.id === job?.id ? kept.said : null;
}

export function Early({ said }: { said: Said }) {
  return (
    <section className="mb-5" aria-live="polite" data-testid="early">
      <p className="statement max-w-[46rem]">
        <Spans spans={said} />
      </p>
      <p className="muted mt-1 text-sm">Tables, pictures and checks follow.</p>
    </section>
  );
}
