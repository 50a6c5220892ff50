import { ApiError } from "../api/client";
import { useRowEdit, useTypedRow } from "../household/household.queries";
import { EditProblem } from "../shared/EditProblem";
import { sheetPrice } from "../shared/format";
import { number } from "../shared/number";
import { TextField } from "../shared/TextField";
import classes from "./Prices.module.css";
import { type Prices, type Tariff, useTariffEdit } from "./prices.queries";

/** What stands on a tariff's sheet besides its lines: from when it holds, charges, export, holidays. */
export function TariffSheet({ tariff: known, prices }: { tariff: Tariff; prices: Prices }) {
  const tariff = useTypedRow("tariff", known);
  const edit = useRowEdit();
  const dropping = useTariffEdit();
  const problem = edit.error instanceof ApiError ? edit.error : undefined;
  const errors = problem?.status === 422 ? problem.byField : {};
  const change = (values: Record<string, unknown>) =>
    edit.mutate({ kind: "tariff", id: tariff.id, version: tariff.version, values });
  const figure = (label: string, field: "export_price" | "daily_charge" | "monthly_per_kw") => (
    <TextField
      label={label}
      size={8}
      value={sheetPrice(tariff[field])}
      error={errors[field]}
      onCommit={(text) => change({ [field]: text.replace(",", ".") || "0" })}
    />
  );
  return (
    <section aria-label={`Sheet of ${tariff.name}`} className={classes.sheet}>
      <p>
        <TextField
          label="Name of the tariff"
          size={Math.max(10, tariff.name.length)}
          value={tariff.name}
          onCommit={(name) => change({ name })}
        />
        {tariff.rival ? (
          <>
            {" "}
            is only looked at beside yours.{" "}
            <button type="button" onClick={() => change({ rival: false, since: prices.now.slice(0, 10) })}>
              It is ours from today
            </button>
          </>
        ) : (
          <>
            {" "}
            {tariff.in_force ? "holds now" : "does not hold now"}, from{" "}
            <TextField
              label="First day"
              size={11}
              placeholder="ever"
              value={tariff.since ?? ""}
              error={errors.since}
              onCommit={(since) => change({ since: since || null })}
            />{" "}
            on{tariff.since ? "; before that, the prices of then" : ""}.
          </>
        )}
      </p>
      <p>
        Fed in, a kWh earns {figure("Paid for what is fed in", "export_price")}. Fixed:{" "}
        {figure("Fixed a day", "daily_charge")} a day and {figure("Fixed a month and kW", "monthly_per_kw")} a month for
        each of{" "}
        <TextField
          label="Contracted power"
          size={5}
          placeholder="–"
          value={tariff.contracted_kw === null ? "" : String(tariff.contracted_kw)}
          error={errors.contracted_kw}
          onCommit={(text) => change({ contracted_kw: text === "" ? null : number(text) })}
        />{" "}
        contracted kW.
      </p>
      <p>
        A line that crosses midnight belongs to the day{" "}
        <label>
          <select
            aria-label="Day of a line that crosses midnight"
            value={tariff.day_of}
            onChange={(event) => change({ day_of: event.currentTarget.value })}
          >
            <option value="clock">that the calendar shows</option>
            <option value="start">on which it began</option>
          </select>
        </label>
        . Holidays, which count as Sundays:{" "}
        <TextField
          label="Holidays"
          size={24}
          placeholder="2026-01-01 2026-05-01"
          value={tariff.holidays.join(" ")}
          error={errors.holidays}
          onCommit={(text) => change({ holidays: text.split(/[\s,]+/).filter(Boolean) })}
        />
        .
      </p>
      <EditProblem error={edit.error ?? dropping.error} what="this tariff" fields={Object.keys(tariff)} />
      {prices.tariffs.length > 1 && !tariff.in_force && (
        <button
          type="button"
          disabled={dropping.isPending}
          onClick={() => dropping.mutate({ what: "drop", id: tariff.id, version: tariff.version })}
        >
          Throw {tariff.name} away
        </button>
      )}
    </section>
  );
}
