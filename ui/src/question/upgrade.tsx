// After an upgrade: an answer by other code says so and waits to be renewed; afterwards, what that changed.
import type { S } from "../client/api";

export function Upgrade({ upgrade, renew }: { upgrade: S["UpgradeOut"]; renew: () => void }) {
  const changed = upgrade.changed ?? [];
  if (upgrade.waiting)
    return (
      <div className="border-primary bg-primary/5 mb-3 border-l-4 px-4 py-2 text-[0.95rem]" role="status">
        <p>
          This answer was computed by another version ({upgrade.by}). The present one may give other numbers.{" "}
          <button type="button" className="link-quiet" onClick={renew}>
            Work it out again and compare
          </button>
        </p>
      </div>
    );
  return (
    <details className="border-primary bg-primary/5 mb-3 border-l-4 px-4 py-2 text-[0.95rem]" open={changed.length > 0}>
      <summary className="cursor-pointer">
        Worked out again after an upgrade:{" "}
        {changed.length
          ? `${changed.length} of ${upgrade.compared} numbers changed`
          : `all ${upgrade.compared} numbers stayed the same`}
      </summary>
      <p className="muted mt-1 text-sm">
        Before: {upgrade.by}. Now: {upgrade.now}.
      </p>
      {changed.length > 0 && (
        <table className="mt-2 text-left text-sm">
          <thead>
            <tr className="rule muted border-b">
              <th className="py-1 pr-6 font-normal">Number</th>
              <th className="py-1 pr-6 text-right font-normal">Before</th>
              <th className="py-1 text-right font-normal">Now</th>
            </tr>
          </thead>
          <tbody className="tabular-nums">
            {changed.map((c) => (
              <tr key={c.name}>
                <td className="py-0.5 pr-6">{c.name}</td>
                <td className="py-0.5 pr-6 text-right">{c.before}</td>
                <td className="py-0.5 text-right">{c.after}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </details>
  );
}
