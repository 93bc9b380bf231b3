import type { Child } from "hono/jsx";

/** A table that scrolls sideways on a narrow screen, also by the keyboard. */
export function WideTable({ label, children }: { label: string; children?: Child }) {
  return (
    <section class="table-responsive" tabindex={0} aria-label={label}>
      {children}
    </section>
  );
}
