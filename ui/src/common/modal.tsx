import { useEffect, useRef, type ReactNode } from "react";

/** The browser's own dialog: keeps focus inside, closes on Escape. */
export function Modal({
  title,
  close,
  children,
  wide,
}: {
  title: string;
  close: () => void;
  children: ReactNode;
  wide?: boolean;
}) {
  const place = useRef<HTMLDialogElement>(null);
  useEffect(() => {
    place.current?.showModal();
    // The dialog would focus its close button; what can be typed into comes first.
    place.current?.querySelector<HTMLElement>("input, textarea, select")?.focus();
  }, []);
  return (
    <dialog ref={place} className="modal" aria-label={title} onClose={close} onCancel={close}>
      <div className={`modal-box ${wide ? "max-w-3xl" : "max-w-lg"}`}>
        <div className="mb-4 flex items-center justify-between">
          <h2 className="text-lg font-bold">{title}</h2>
          <button
            type="button"
            className="btn btn-ghost btn-sm btn-square"
            aria-label="Close"
            onClick={() => place.current?.close()}
          >
            ×
          </button>
        </div>
        {children}
      </div>
      <form method="dialog" className="modal-backdrop">
        <button aria-label="Close">close</button>
      </form>
    </dialog>
  );
}
