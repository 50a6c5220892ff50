import { ApiError } from "../api/client";
import page from "./Page.module.css";

/** How often a page that is left open looks anew: the night goes on, and others may have changed something. */
export const LOOK_ANEW_MS = 5 * 60_000;

/** Says so where what is shown could not be brought up to date; it stays, with all that was typed. */
export function OutOfDate({ error }: { error: Error | null }) {
  if (!error) return null;
  return (
    <p role="status" className={page.wrong}>
      Not up to date: {error instanceof ApiError ? error.message : "the server does not answer."} This page tries again
      by itself.
    </p>
  );
}
