// The list of steps, by family, found by typing.
import { cx } from "../common/classes";
import { Command } from "cmdk";
import { useEffect, useMemo, useState } from "react";
import { Pop } from "../common/pop";

export type StepKind = { step: string; words: string; help: string; family: string; fresh: boolean; listed: boolean };

export function AddStep({ kinds, choose }: { kinds: StepKind[]; choose: (step: string) => void }) {
  const [open, setOpen] = useState(false);
  return (
    <Pop
      open={open}
      set={setOpen}
      role="presentation"
      className="w-[44rem] max-w-[92vw] p-2"
      trigger={
        <button
          type="button"
          data-key="add-step"
          aria-haspopup="listbox"
          className="text-primary border-primary block rounded-md border px-2.5 py-1.5 text-[0.86rem] font-semibold"
        >
          Add a step
        </button>
      }
    >
      <StepList kinds={kinds} choose={(s) => (choose(s), setOpen(false))} />
    </Pop>
  );
}

function StepList({ kinds, choose }: { kinds: StepKind[]; choose: (step: string) => void }) {
  const [text, setText] = useState("");
  const [at, setAt] = useState("");
  const [eager, setEager] = useState(false);
  const found = useMemo(() => {
    const words = text.toLowerCase().split(/\s+/).filter(Boolean);
    return kinds.filter((k) =>
      words.every((w) => `${k.step} ${k.words} ${k.help} ${k.family}`.toLowerCase().includes(w)),
    );
  }, [kinds, text]);
  const families = [...new Set(found.map((k) => k.family))];
  // Two columns of about equal length, families whole.
  const sizes = families.map((f) => found.filter((k) => k.family === f).length + 1.6);
  const half = sizes.reduce((a, b) => a + b, 0) / 2;
  const cut = sizes.findIndex((_, i) => sizes.slice(0, i + 1).reduce((a, b) => a + b, 0) >= half) + 1;
  // Enter before the list has come is kept, and done when it is there.
  const first = found.find((k) => k.family === families[0]);
  useEffect(() => {
    if (eager && first) choose(first.step);
  }, [eager, first, choose]);
  return (
    <Command label="Find a step" shouldFilter={false} value={at} onValueChange={setAt}>
      <Command.Input
        className="input input-sm mb-2 w-full"
        autoFocus
        placeholder="What should happen? join, recode, lag, empty, long …"
        value={text}
        onValueChange={setText}
        onKeyDown={(e) => e.key === "Enter" && !kinds.length && setEager(true)}
      />
      <Command.List
        label="Steps"
        className={cx(
          "max-h-[52vh] overflow-y-auto",
          "[&>div]:grid [&>div]:grid-cols-2 [&>div]:gap-x-5 [&>div]:max-[760px]:grid-cols-1",
        )}
      >
        {[families.slice(0, cut), families.slice(cut)].map((side, i) => (
          <div key={i}>
            {side.map((family) => (
              <Command.Group
                key={family}
                heading={family}
                className={cx(
                  "mb-3 [&>[cmdk-group-heading]]:px-2 [&>[cmdk-group-heading]]:text-[0.82rem]",
                  "[&>[cmdk-group-heading]]:opacity-75",
                )}
              >
                {found
                  .filter((k) => k.family === family)
                  .map((k) => (
                    <Command.Item
                      key={k.step}
                      value={k.step}
                      title={k.help}
                      data-step-kind={k.step}
                      className={cx(
                        "data-[selected=true]:bg-primary/12 cursor-pointer rounded px-2 py-[0.28rem] text-[0.95rem]",
                        "leading-snug",
                      )}
                      onSelect={() => choose(k.step)}
                    >
                      {plainWords(k.words)}
                    </Command.Item>
                  ))}
              </Command.Group>
            ))}
          </div>
        ))}
        {kinds.length > 0 && found.length === 0 && (
          <p className="muted p-2">No step does that. Try another word; an expression under “Compute” may do it.</p>
        )}
      </Command.List>
      <p className="muted rule mt-1 min-h-[3.1rem] border-t px-2 pt-1.5 text-[0.88rem]">
        {found.find((k) => k.step === at)?.help}
      </p>
    </Command>
  );
}

/** "Keep the rows where …" */
function plainWords(words: string): string {
  return words.replace(/\{\w+\}/g, "…").replace(/: …$/, "");
}
