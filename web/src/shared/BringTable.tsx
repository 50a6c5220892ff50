import { useMutation, useQueryClient } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";
import type { Schemas } from "../api/client";
import classes from "./BringTable.module.css";

interface Props {
  /** What the fold is called, and what one of its rows is. */
  title: string;
  one: string;
  send: (body: Schemas["Table"]) => Promise<Schemas["Brought"]>;
  children: ReactNode;
}

/** Rows from a CSV file: first what it would bring, then, on request, brought in. */
export function BringTable({ title, one, send, children }: Props) {
  const [text, setText] = useState("");
  const client = useQueryClient();
  const bringing = useMutation({
    mutationFn: (keep: boolean) => send({ text, keep }),
    onSuccess: (brought) => {
      if (brought.kept) client.invalidateQueries();
    },
  });
  const found = bringing.data;
  return (
    <details className={classes.bring}>
      <summary>{title}</summary>
      <p>{children}</p>
      <label>
        CSV file{" "}
        <input
          type="file"
          accept=".csv,text/csv"
          onChange={async (event) => {
            setText((await event.currentTarget.files?.[0]?.text()) ?? "");
            bringing.reset();
          }}
        />
      </label>{" "}
      <button type="button" disabled={!text} onClick={() => bringing.mutate(false)}>
        See what it would bring
      </button>
      {bringing.error && <p role="alert">{bringing.error.message}</p>}
      {found && (
        <div aria-live="polite">
          <p>
            {found.kept ? "Brought in" : "It would bring"} {found.new} new {one}
            {found.new === 1 ? "" : "s"}; {found.again} {found.again === 1 ? "is" : "are"} here already.
          </p>
          <ul>
            {found.refused.map((row) => (
              <li key={`${row.line}${row.reason}`}>
                Line {row.line} is refused: {row.reason}
              </li>
            ))}
          </ul>
          {!found.kept && found.new > 0 && (
            <button type="button" onClick={() => bringing.mutate(true)}>
              Bring {found.new === 1 ? "it" : "them"} in
            </button>
          )}
        </div>
      )}
    </details>
  );
}
