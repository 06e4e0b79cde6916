// The frame around every page: top bar, contents, and the keys that work anywhere.
import { cx } from "./classes";
import { History as Clock, Moon, Sun, Undo2, Redo2, PanelLeftClose, PanelLeftOpen } from "lucide-react";
import { useEffect, useState, type ReactNode } from "react";
import { Link, Outlet, useMatches, useParams } from "react-router";
import { useQuery } from "@tanstack/react-query";
import { api, take } from "../client/api";
import { useContents, useUndo } from "../client/hooks";
import { Conflict } from "./conflict";
import { Contents } from "./contents";
import { History } from "./history";
import { HelpKeys, useKeys } from "./keys";
import { stopJob } from "./job";
import { Mark } from "./mark";
import { Palette } from "./palette";
import { useTheme } from "./theme";

export function Frame() {
  const { study = "", id } = useParams();
  const contents = useContents(study);
  const [folded, setFolded] = useState(localStorage.getItem("yavik.folded") === "yes");
  const [palette, setPalette] = useState(false);
  const [help, setHelp] = useState(false);
  useKeys({ study, openPalette: () => setPalette(true), openHelp: () => setHelp(true) });
  const entry = contents.data?.entries.find((e) => e.id === id);
  const page = usePageWords();
  const title = [entry?.name ?? page, contents.data?.study.name, "Yavik"].filter(Boolean).join(" · ");
  useEffect(() => {
    document.title = title;
  }, [title]);
  const fold = () => {
    localStorage.setItem("yavik.folded", folded ? "no" : "yes");
    setFolded(!folded);
  };
  return (
    <div className="flex h-full flex-col">
      <a href="#main" className="btn btn-sm sr-only focus:not-sr-only">
        Skip to the page
      </a>
      <TopBar
        study={study}
        names={[contents.data?.study.name, entry && page ? `${page} about ${entry.name}` : (entry?.name ?? page)]}
        search={() => setPalette(true)}
        undo={contents.data?.undo}
        redo={contents.data?.redo}
        fold={study ? fold : undefined}
        folded={folded}
      />
      <div className="flex min-h-0 flex-1">
        {study && !folded && <Contents study={study} current={id} />}
        <main id="main" className="min-w-0 flex-1 overflow-auto" tabIndex={-1}>
          <Outlet />
        </main>
      </div>
      <Conflict />
      {palette && <Palette study={study} close={() => setPalette(false)} />}
      {help && <HelpKeys close={() => setHelp(false)} />}
    </div>
  );
}

function usePageWords(): string | undefined {
  const matches = useMatches();
  const handle = matches[matches.length - 1]?.handle as { words?: string } | undefined;
  return handle?.words;
}

function TopBar({
  study,
  names,
  search,
  undo,
  redo,
  fold,
  folded,
}: {
  study: string;
  names: (string | undefined)[];
  search: () => void;
  undo?: string | null;
  redo?: string | null;
  fold?: () => void;
  folded: boolean;
}) {
  const { dark, toggle } = useTheme();
  const move = useUndo(study);
  const [history, setHistory] = useState(false);
  return (
    <header className="rule flex h-11 shrink-0 items-center gap-2 border-b px-4">
      <Link to="/" className="flex items-center gap-2 font-bold">
        <Mark />
        Yavik
      </Link>
      {names.filter(Boolean).map((n, i) => (
        <span key={i} className="flex min-w-0 items-center gap-2">
          <span className="muted" aria-hidden="true">
            /
          </span>
          {i === 0 && study ? (
            <Link to={`/s/${study}`} className="truncate hover:underline">
              {n}
            </Link>
          ) : (
            <span className="muted truncate">{n}</span>
          )}
        </span>
      ))}
      <span className="flex-1" />
      <button
        type="button"
        className={cx(
          "rule bg-base-100 flex h-8 w-56 shrink-0 items-center justify-between rounded-md",
          "border px-3 text-sm max-[900px]:w-28",
        )}
        onClick={search}
      >
        <span className="muted truncate">Find or ask anything</span>
        <kbd className="kbd kbd-sm">/</kbd>
      </button>
      {study && <Working study={study} />}
      {study && (
        <>
          <IconButton
            label={undo ? `Undo: ${undo}` : "Nothing to undo"}
            disabled={!undo}
            onClick={() => move.mutate("undo")}
          >
            <Undo2 size={17} />
          </IconButton>
          <IconButton
            label={redo ? `Do again: ${redo}` : "Nothing to do again"}
            disabled={!redo}
            onClick={() => move.mutate("redo")}
          >
            <Redo2 size={17} />
          </IconButton>
          <IconButton label="History of the study" onClick={() => setHistory(true)}>
            <Clock size={17} />
          </IconButton>
          {history && <History study={study} close={() => setHistory(false)} />}
        </>
      )}
      {fold && (
        <IconButton label={folded ? "Show the contents" : "Fold the contents"} onClick={fold}>
          {folded ? <PanelLeftOpen size={17} /> : <PanelLeftClose size={17} />}
        </IconButton>
      )}
      <IconButton label={dark ? "Light theme" : "Dark theme"} onClick={toggle}>
        {dark ? <Sun size={17} /> : <Moon size={17} />}
      </IconButton>
    </header>
  );
}

/** What runs now in the study, wherever it was begun, with a way to stop it. */
function Working({ study }: { study: string }) {
  const { data } = useQuery({
    queryKey: ["jobs", study],
    queryFn: () => take(api.GET("/api/studies/{study_id}/jobs", { params: { path: { study_id: study } } })),
    refetchInterval: (q) => (q.state.data?.length ? 500 : 4000),
    retry: false,
  });
  const job = data?.[0];
  if (!job) return null;
  return (
    <span className="flex min-w-0 shrink items-center gap-2 text-sm" role="status">
      <span className="loading loading-spinner loading-xs text-primary" aria-hidden="true" />
      <span className="truncate">
        {job.title}, {Math.round(job.part * 100)}%
      </span>
      <button type="button" className="link-quiet" onClick={() => stopJob(job)}>
        Stop
      </button>
    </span>
  );
}

export function IconButton({
  label,
  children,
  onClick,
  disabled,
}: {
  label: string;
  children: ReactNode;
  onClick: () => void;
  disabled?: boolean;
}) {
  return (
    <button
      type="button"
      className="btn btn-ghost btn-sm btn-square"
      aria-label={label}
      title={label}
      disabled={disabled}
      onClick={onClick}
    >
      {children}
    </button>
  );
}

/** Centre and margin; under 1100 px the margin folds under the centre. */
/** ``apart``: the margin scrolls by itself, so that what it changes stays in sight. */
export function WithMargin({
  children,
  margin,
  label,
  apart = false,
}: {
  children: ReactNode;
  margin: ReactNode;
  label: string;
  apart?: boolean;
}) {
  return (
    <div className="flex min-h-0 flex-1 max-[1100px]:flex-col">
      <div className="min-w-0 flex-1">{children}</div>
      <aside
        aria-label={label}
        className={cx(
          "rule bg-base-100 w-[290px] shrink-0 border-l p-5 max-[1100px]:w-full",
          "max-[1100px]:border-l-0 max-[1100px]:border-t",
          apart && "min-[1100px]:sticky min-[1100px]:top-[var(--head,8rem)] min-[1100px]:overflow-y-auto",
          apart && "min-[1100px]:max-h-[calc(100vh-var(--head,8rem)-41px)]",
        )}
      >
        {margin}
      </aside>
    </div>
  );
}
