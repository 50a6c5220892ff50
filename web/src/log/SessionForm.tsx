import { useState } from "react";
import { ApiError } from "../api/client";
import { EditProblem } from "../shared/EditProblem";
import type { Manner } from "../shared/format";
import { Labelled } from "../shared/Labelled";
import { number } from "../shared/number";
import page from "../shared/Page.module.css";
import form from "../shared/TypedForm.module.css";
import { moved, wall } from "../shared/wall";
import type { CarLogged, Logged, useLogEdit } from "./log.queries";

interface Props {
  car: CarLogged;
  night: string;
  /** The one that is corrected; none for one that is written down. */
  session?: Logged;
  manner: Manner;
  edit: ReturnType<typeof useLogEdit>;
  onDone: () => void;
}

/** A session, typed: when it began and ended, and what meter and car said. */
export function SessionForm({ car, night, session, manner, edit, onDone }: Props) {
  const [texts, setTexts] = useState<Record<string, string>>(() => typedAs(car, night, session, manner));
  // What the form was opened with: somebody may change the session while another types.
  const [opened] = useState(session?.version ?? 0);
  const problem = edit.error instanceof ApiError ? edit.error : undefined;
  // Who has been told, and sends it again, means it.
  const version = problem?.problem.version ?? opened;
  const errors = problem?.byField ?? {};
  const read = (name: string) => (texts[name] ? (number(texts[name]) as number) : null);
  const values = {
    start: texts.start ?? "",
    end: texts.end ?? "",
    wall_kwh: read("wall_kwh"),
    soc_from_pct: read("soc_from_pct"),
    soc_to_pct: read("soc_to_pct"),
  };
  const done = { onSuccess: onDone };
  return (
    <form
      className={form.form}
      aria-label={`Session of ${car.name}`}
      onSubmit={(event) => {
        event.preventDefault();
        if (session) edit.mutate({ what: "correct", id: session.id, version, session: values }, done);
        else edit.mutate({ what: "write", car: car.id, session: values }, done);
      }}
    >
      {FIELDS.map(({ name, label, type }) => (
        <Labelled
          key={name}
          label={label}
          type={type}
          required={type === "datetime-local"}
          value={texts[name] ?? ""}
          error={errors[name]}
          onChange={(text) => setTexts({ ...texts, [name]: text })}
        />
      ))}
      <span className={`${page.note} ${form.wholeLine}`}>
        The meter's kWh, or the SoC before and after; best all three.
      </span>
      <EditProblem
        error={edit.error}
        what="this session"
        fields={FIELDS.map(({ name }) => name)}
        className={form.wholeLine}
      />
      <span className={form.buttons}>
        <button type="submit" disabled={edit.isPending}>
          {session ? "Keep the change" : "Write it down"}
        </button>
        {session && (
          <button
            type="button"
            disabled={edit.isPending}
            onClick={() => edit.mutate({ what: "take out", id: session.id, version }, done)}
          >
            Take it out of the log
          </button>
        )}
        <button type="button" onClick={onDone}>
          Close
        </button>
      </span>
    </form>
  );
}

const FIELDS = [
  { name: "start", label: "Began", type: "datetime-local" },
  { name: "end", label: "Ended", type: "datetime-local" },
  { name: "wall_kwh", label: "Meter, kWh", type: "figure" },
  { name: "soc_from_pct", label: "SoC before, %", type: "figure" },
  { name: "soc_to_pct", label: "SoC after, %", type: "figure" },
] as const;

/** What the fields begin with: the session as it stands, else the times that were planned, else a usual night's. */
function typedAs(car: CarLogged, night: string, session: Logged | undefined, manner: Manner): Record<string, string> {
  const planned = car.planned ?? [];
  const from = session?.start ?? planned[0]?.start;
  const to = session?.end ?? planned.at(-1)?.end;
  const shown = (value: number | null | undefined) => (value == null ? "" : String(Number(value.toFixed(2))));
  return {
    start: from ? wall(from, manner.timezone) : `${night}T22:00`,
    end: to ? wall(to, manner.timezone) : moved(`${night}T06:00`, 24 * 60),
    wall_kwh: shown(session?.read.wall_kwh),
    soc_from_pct: shown(session?.read.soc_from_pct),
    soc_to_pct: shown(session?.read.soc_to_pct),
  };
}
