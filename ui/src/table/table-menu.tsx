// What can be done with a whole table: save it, have its file again, and its path elsewhere.
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, take, type S, type Step } from "../client/api";
import { cx } from "../common/classes";
import { Menu, MenuChild, MenuItem } from "../common/pop";
import { PathsModal } from "./paths-modal";
import type { SetSteps } from "./table-page";

const LINK = "data-[highlighted]:bg-base-200 rounded px-3 py-1.5 text-sm outline-none";

export function TableMenu({ study, table, setSteps }: { study: string; table: S["TableOut"]; setSteps: SetSteps }) {
  const [paths, setPaths] = useState(false);
  const { data } = useQuery({
    queryKey: ["outputs"],
    staleTime: Infinity,
    queryFn: () => take(api.GET("/api/outputs")),
  });
  const base = `/api/studies/${study}`;
  return (
    <>
      <Menu label={`Save ${table.name}, or its path`} button="Save">
        <div className="w-72">
          <p className="muted px-3 pt-1 text-[0.82rem]" aria-hidden="true">
            Save the table as
          </p>
          {(data ?? []).map((o) => (
            <MenuChild key={o.id}>
              <a
                className={cx(LINK, "flex justify-between gap-4")}
                href={`${base}/tables/${table.id}/save?format=${o.id}`}
                download
              >
                <span>{o.title}</span>
                {o.keeps && <span className="muted text-xs">keeps labels</span>}
              </a>
            </MenuChild>
          ))}
          {table.upload && (
            <MenuChild>
              <a
                className={cx(LINK, "rule mt-1 block border-t")}
                href={`${base}/uploads/${table.upload}/original`}
                download={table.filename}
              >
                The file as it was brought
              </a>
            </MenuChild>
          )}
          <p className="muted rule mt-1 border-t px-3 pt-2 text-[0.82rem]" aria-hidden="true">
            The path
          </p>
          <MenuItem onClick={() => setPaths(true)}>Keep or use a path …</MenuItem>
          <MenuItem
            disabled={table.steps.length === 0}
            onClick={() =>
              void setSteps(
                (table.steps as Step[]).map((s) => ({ ...s, on: false })),
                `Switch off the path of ${table.name}`,
              )
            }
          >
            Switch every step off
          </MenuItem>
        </div>
      </Menu>
      {paths && <PathsModal study={study} table={table} setSteps={setSteps} close={() => setPaths(false)} />}
    </>
  );
}
