import type { Problem } from "../api/client";
import { amps, clock, type Manner, toUnit } from "../shared/format";
import classes from "./Tonight.module.css";
import { TwoTides } from "./TwoTides";
import { type Edit, useNightWith } from "./tonight.queries";

interface Props {
  problem: Problem;
  carId: string;
  /** The edit that was refused, as it would be made over theirs. */
  mine: Edit;
  manner: Manner;
  onMine: (edit: Edit) => void;
  onTheirs: () => void;
}

const WORDS: Record<string, string> = {
  soc_pct: "SoC now, %",
  leave: "leaving time",
  km: "distance",
  limit_pct: "limit tonight, %",
  ceiling_a: "current ceiling, A",
  ready_by: "ready by",
  plugged_in: "plugged in",
  pins: "pinned",
  keep_off: "kept off",
};

function stretch({ start, end, amps: current }: { start: string | null; end: string | null; amps?: number }): string {
  return `${start ?? "…"}–${end ?? "…"}${current === undefined ? "" : ` at ${amps(current)}`}`;
}

/** Somebody changed the same thing meanwhile: both are shown, and the person chooses. */
export function Conflict({ problem, carId, mine, manner, onMine, onTheirs }: Props) {
  // Both are asked for, so that they are planned alike: what the screen shows may have been searched for longer.
  const withTheirs = useNightWith(carId, { versions: mine.versions });
  const withMine = useNightWith(carId, mine);
  const fields = Object.keys(mine).filter((field) => field !== "versions") as (keyof Edit)[];
  function shown(field: string, value: unknown): string {
    if (value === null || value === undefined) return "as usual";
    if (field === "leave") return clock(String(value), manner);
    if (field === "km") return `${Math.round(toUnit(Number(value), manner))} ${manner.distanceUnit}`;
    if (field === "plugged_in") return value ? "yes" : "no";
    if (Array.isArray(value)) return value.map(stretch).join(", ") || "nothing";
    return String(value);
  }
  return (
    <div className={classes.conflict} role="alertdialog" aria-label="Changed by somebody else">
      <strong>{problem.by}</strong> changed this meanwhile.
      {fields.map((field) => (
        <div key={field}>
          {WORDS[field] ?? field}: theirs <strong>{shown(field, problem.current?.[field])}</strong>, yours{" "}
          <strong>{shown(field, mine[field])}</strong>
        </div>
      ))}
      {(withTheirs.isPending || withMine.isPending) && <div aria-live="polite">Working out both nights …</div>}
      {withTheirs.data && withMine.data && <TwoTides theirs={withTheirs.data} mine={withMine.data} manner={manner} />}
      <button type="button" onClick={onTheirs}>
        Keep theirs
      </button>
      <button type="button" onClick={() => onMine(mine)}>
        Use mine
      </button>
    </div>
  );
}
