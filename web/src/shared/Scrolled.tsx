import type { ReactNode } from "react";
import classes from "./Page.module.css";

/** What may be wider than a phone, a table mostly: it is scrolled sideways by itself, with the keyboard too. */
export function Scrolled({ label, children }: { label: string; children: ReactNode }) {
  return (
    // biome-ignore lint/a11y/noNoninteractiveTabindex: without the focus the keyboard could not scroll it
    <section className={classes.scrolled} tabIndex={0} aria-label={label}>
      {children}
    </section>
  );
}
