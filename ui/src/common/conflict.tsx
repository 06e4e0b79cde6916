// Two windows changed the same place: both are shown, side by side, and neither is lost.
import { useOpenConflict, type Place } from "../client/together";
import { placeWords, said } from "./conflict-words";
import { Modal } from "./modal";

export function Conflict() {
  const open = useOpenConflict();
  if (!open) return null;
  const { name, places, words, answer } = open;
  const label = (p: Place) => words.label?.(p) ?? placeWords(p.path);
  return (
    <Modal
      title={`${name} was changed in another window`}
      close={() => answer(words.keepBoth ? "both" : "theirs")}
      wide
    >
      <p>Both changed the same {places.length === 1 ? "place" : "places"}. Everything else is put together already.</p>
      <table className="mt-4 w-full table-fixed text-left">
        <thead>
          <tr className="rule muted border-b text-sm">
            <th className="w-1/5 py-1 pr-4 font-normal">Place</th>
            <th className="py-1 pr-4 font-normal">In the other window, kept now</th>
            <th className="py-1 font-normal">Here</th>
          </tr>
        </thead>
        <tbody>
          {places.slice(0, 12).map((p, i) => (
            <tr key={i} className="rule border-b align-top">
              <th className="break-words py-2 pr-4 font-semibold">{label(p)}</th>
              <td className="whitespace-pre-wrap break-words py-2 pr-4">{said(p.theirs)}</td>
              <td className="whitespace-pre-wrap break-words py-2">{said(p.mine)}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {places.length > 12 && <p className="muted mt-2 text-sm">and {places.length - 12} more places</p>}
      <p className="muted mt-3 text-sm">If you keep what is here, the other stays in the history of the study.</p>
      <div className="mt-4 flex flex-wrap gap-2">
        <button type="button" className="btn btn-primary btn-sm" onClick={() => answer("mine")}>
          Keep what is here
        </button>
        <button type="button" className="btn btn-sm" onClick={() => answer("theirs")}>
          Keep the other, drop this
        </button>
        {words.keepBoth && (
          <button type="button" className="btn btn-sm" onClick={() => answer("both")}>
            {words.keepBoth.label}
          </button>
        )}
      </div>
    </Modal>
  );
}
