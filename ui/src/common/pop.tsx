// What opens over the page: menus of actions and panels beside what opened them. Keys, focus and staying inside the
// window are the library's.
import * as Dropdown from "@radix-ui/react-dropdown-menu";
import * as Popover from "@radix-ui/react-popover";
import { useState, type ReactElement, type ReactNode } from "react";
import { cx } from "./classes";

/** A button with a short list of actions: arrow keys, first letters, Escape. */
export function Menu({
  label,
  children,
  button,
  align = "right",
}: {
  label: string;
  children: ReactNode;
  button: ReactNode;
  align?: "left" | "right";
}) {
  const plain = typeof button === "string";
  return (
    <Dropdown.Root modal={false}>
      <Dropdown.Trigger
        className={plain ? "btn btn-ghost btn-xs" : "relative inline-block"}
        aria-label={plain ? label : undefined}
      >
        {button}
      </Dropdown.Trigger>
      <Dropdown.Portal>
        <Dropdown.Content
          aria-label={label}
          aria-labelledby={undefined}
          align={align === "right" ? "end" : "start"}
          sideOffset={4}
          collisionPadding={8}
          className="pop z-40 max-h-(--radix-dropdown-menu-content-available-height) min-w-44 overflow-y-auto p-1"
          // An action that put the focus somewhere, such as into a name to be edited, keeps it.
          onCloseAutoFocus={(e) => document.activeElement !== document.body && e.preventDefault()}
        >
          {children}
        </Dropdown.Content>
      </Dropdown.Portal>
    </Dropdown.Root>
  );
}

const ITEM = cx(
  "data-[highlighted]:bg-base-200 data-[disabled]:muted block w-full cursor-pointer rounded px-3 py-1.5 text-left",
  "text-sm outline-none data-[disabled]:cursor-default",
);

export function MenuItem({
  children,
  onClick,
  disabled,
}: {
  children: ReactNode;
  onClick: () => void;
  disabled?: boolean;
}) {
  return (
    <Dropdown.Item className={ITEM} disabled={disabled} onSelect={onClick}>
      {children}
    </Dropdown.Item>
  );
}

/** An action that is a link or a button of its own look. */
export function MenuChild({ children, onSelect }: { children: ReactElement; onSelect?: () => void }) {
  return (
    <Dropdown.Item asChild onSelect={onSelect}>
      {children}
    </Dropdown.Item>
  );
}

/** A panel beside the button that opens it; a click elsewhere and Escape close it. */
export function Pop({
  open,
  set,
  trigger,
  label,
  role = "dialog",
  className,
  children,
}: {
  open: boolean;
  set: (open: boolean) => void;
  /** A button without an onClick of its own. */
  trigger: ReactElement;
  label?: string;
  role?: "dialog" | "group" | "presentation";
  className?: string;
  children: ReactNode;
}) {
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  return (
    <Popover.Root open={open} onOpenChange={set}>
      <Popover.Trigger asChild ref={setAnchor as (element: HTMLButtonElement | null) => void}>
        {trigger}
      </Popover.Trigger>
      {/* Below a dialog's own layer nothing could be seen or clicked. */}
      <Popover.Portal container={anchor?.closest("dialog")}>
        <Popover.Content
          role={role}
          aria-label={label}
          align="start"
          sideOffset={4}
          collisionPadding={8}
          className={cx("pop z-40 max-h-(--radix-popover-content-available-height) overflow-y-auto", className)}
        >
          {children}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
