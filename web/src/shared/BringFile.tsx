import { useMutation, useQueryClient } from "@tanstack/react-query";
import { type ReactNode, useId, useState } from "react";
import type { Schemas } from "../api/client";
import classes from "./BringFile.module.css";
import { FileInput } from "./FileInput";
import { counted } from "./format";
import { outdated } from "./outdated";

type Brought = Schemas["Brought"] | Schemas["SeriesBrought"];

/** What a file is asked besides: a name of the form, its label and its choices, the first one being the usual. */
export interface Asked {
  name: string;
  label: string;
  choices: [string, string][];
}

interface Props {
  /** What the fold is called, and what one of its rows is. */
  title: string;
  one: string;
  accept?: string;
  asks?: Asked[];
  send: (form: FormData) => Promise<Brought>;
  /** Tells how a moment of the file is written. */
  moment?: (instant: string) => string;
  children: ReactNode;
}

/** Rows from a file: first what it would bring, then, on request, brought in. */
export function BringFile({ title, one, accept = ".csv,text/csv", asks = [], send, moment, children }: Props) {
  const [file, setFile] = useState<File | null>(null);
  const [answers, setAnswers] = useState<Record<string, string>>({});
  const client = useQueryClient();
  const bringing = useMutation({
    mutationFn: (keep: boolean) => {
      const form = new FormData();
      if (file) form.set("file", file);
      form.set("keep", String(keep));
      for (const { name, choices } of asks) form.set(name, answers[name] ?? choices[0]?.[0] ?? "");
      return send(form);
    },
    onSuccess: (brought) => {
      if (brought.kept) outdated(client);
    },
  });
  const found = bringing.data;
  return (
    <details className={classes.bring}>
      <summary>{title}</summary>
      <p>{children}</p>
      <p className={classes.asks}>
        <FileInput
          label="File"
          accept={accept}
          onChoose={(chosen) => {
            setFile(chosen);
            bringing.reset();
          }}
        />
        {asks.map(({ name, label, choices }) => (
          <label key={name}>
            {label}{" "}
            <select
              value={answers[name] ?? choices[0]?.[0]}
              onChange={(event) => {
                setAnswers({ ...answers, [name]: event.currentTarget.value });
                bringing.reset();
              }}
            >
              {choices.map(([key, text]) => (
                <option key={key} value={key}>
                  {text}
                </option>
              ))}
            </select>
          </label>
        ))}
        <button type="button" disabled={!file || bringing.isPending} onClick={() => bringing.mutate(false)}>
          See what it would bring
        </button>
      </p>
      {bringing.isPending && <p role="status">Reading the file …</p>}
      {bringing.error && <p role="alert">{bringing.error.message}</p>}
      {found && (
        <div aria-live="polite">
          <p>
            {found.kept ? "Brought in" : "It would bring"} {counted(found.new, `new ${one}`)}; {found.again}{" "}
            {found.again === 1 ? "is" : "are"} here already.
          </p>
          {"rows" in found && moment && <Reaches found={found} moment={moment} />}
          <ul className={classes.refused}>
            {found.refused.map((row) => (
              <li key={`${row.line}${row.reason}`}>
                Line {row.line} is refused: {row.reason}
              </li>
            ))}
          </ul>
          {!found.kept && found.new > 0 && (
            <button type="button" disabled={bringing.isPending} onClick={() => bringing.mutate(true)}>
              Bring {found.new === 1 ? "it" : "them"} in
            </button>
          )}
        </div>
      )}
    </details>
  );
}

/** From when to when a series reaches, its gaps, and what a clock change did to it. */
function Reaches({ found, moment }: { found: Schemas["SeriesBrought"]; moment: (instant: string) => string }) {
  const id = useId();
  return (
    <>
      <p id={id}>
        {found.rows} rows of {found.step_minutes} minutes, from {moment(found.first)} to {moment(found.last)}.
        {found.gaps_in_all === 0 && " No gap between them."}
      </p>
      {found.gaps_in_all > 0 && (
        <ul aria-label="Gaps">
          {found.gaps.map((gap) => (
            <li key={gap.start}>
              Nothing from {moment(gap.start)} to {moment(gap.end)}.
            </li>
          ))}
        </ul>
      )}
      {found.repeated.map((at) => (
        <p key={at}>
          The clocks went back: the hour of {moment(at)} comes twice, and was taken twice, in the file's order.
        </p>
      ))}
    </>
  );
}
