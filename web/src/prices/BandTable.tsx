import { ApiError } from "../api/client";
import { useRowEdit, useTypedRow } from "../household/household.queries";
import { DepthSwatch } from "../shared/DepthHatch";
import { EditProblem } from "../shared/EditProblem";
import { sheetPrice } from "../shared/format";
import { number } from "../shared/number";
import page from "../shared/Page.module.css";
import { Scrolled } from "../shared/Scrolled";
import { TextField } from "../shared/TextField";
import { TimeField } from "../shared/TimeField";
import classes from "./Prices.module.css";
import { type Line, type Tariff, useTariffEdit } from "./prices.queries";

const FIELDS = ["name", "price", "start", "end", "days", "months"];
const DAYS = ["mon", "tue", "wed", "thu", "fri", "sat", "sun"];

/** The lines of the sheet, in the order in which they are looked at; what is typed here is what the week shows. */
export function BandTable({ tariff }: { tariff: Tariff }) {
  const edit = useRowEdit();
  return (
    <section aria-label="Lines of the sheet">
      <h2>Its lines</h2>
      <p className={page.note}>The first line that matches an hour holds; where none does, the default price.</p>
      <Scrolled label="Lines side by side">
        <table className={page.table}>
          <thead>
            <tr>
              {["", "Name", "A kWh", "From", "To", "Days", "Months", "Holds, over the year", ""].map((name, i) => (
                // biome-ignore lint/suspicious/noArrayIndexKey: the heads never move
                <th key={i} scope="col">
                  {name}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {tariff.bands.map((band, i) => (
              <BandRow key={band.id} tariff={tariff} band={band} nth={i} />
            ))}
            <DefaultRow tariff={tariff} />
          </tbody>
        </table>
      </Scrolled>
      <button
        type="button"
        disabled={edit.isPending}
        onClick={() =>
          edit.mutate({
            kind: "band",
            values: {
              tariff_id: tariff.id,
              name: `line ${tariff.bands.length + 1}`,
              price: tariff.default_price,
              start: "22:00",
              end: "06:00",
              days: DAYS,
            },
          })
        }
      >
        A line more
      </button>
      <EditProblem error={edit.error} what="this tariff" />
    </section>
  );
}

function BandRow({ tariff, band: known, nth }: { tariff: Tariff; band: Line; nth: number }) {
  const band = useTypedRow("band", known);
  const edit = useRowEdit();
  const order = useTariffEdit();
  const problem = edit.error instanceof ApiError ? edit.error : undefined;
  const errors = problem?.status === 422 ? problem.byField : {};
  const change = (values: Record<string, unknown>) =>
    edit.mutate({ kind: "band", id: band.id, version: band.version, values });
  const move = (by: number) => order.mutate({ what: "move", band: band.id, by });
  return (
    <tr>
      <td>
        <DepthSwatch depth={tariff.depths[nth] ?? 0} /> {nth + 1}
      </td>
      <th scope="row">
        <TextField
          label={`Name of line ${nth + 1}`}
          size={Math.max(8, band.name.length + 2)}
          value={band.name}
          error={errors.name}
          onCommit={(name) => change({ name })}
        />
      </th>
      <td>
        <TextField
          label={`Price of ${band.name}`}
          size={8}
          value={sheetPrice(band.price)}
          error={errors.price}
          onCommit={(text) => change({ price: text.replace(",", ".") })}
        />
      </td>
      <td>
        <TimeField
          label={`${band.name} from`}
          value={band.start}
          error={errors.start}
          onCommit={(start) => change({ start })}
        />
      </td>
      <td>
        <TimeField label={`${band.name} to`} value={band.end} error={errors.end} onCommit={(end) => change({ end })} />
      </td>
      <td>
        <fieldset className={classes.days}>
          <legend className="visually-hidden">Days of {band.name}</legend>
          {DAYS.map((day) => (
            <label key={day} title={day}>
              <input
                type="checkbox"
                aria-label={`${band.name} on ${day}`}
                checked={band.days.includes(day)}
                onChange={(event) =>
                  change({
                    days: DAYS.filter((d) => (d === day ? event.currentTarget.checked : band.days.includes(d))),
                  })
                }
              />
              <span aria-hidden="true">{day.slice(0, 2)}</span>
            </label>
          ))}
        </fieldset>
        {errors.days && <p role="alert">Days: expected {errors.days}</p>}
      </td>
      <td>
        <TextField
          label={`Months of ${band.name}`}
          size={9}
          placeholder="all"
          value={band.months?.join(" ") ?? ""}
          error={errors.months}
          onCommit={(text) => change({ months: text === "" ? null : text.split(/[\s,]+/).map(number) })}
        />
      </td>
      <td>
        {tellHeld(band)}
        <EditProblem error={edit.error ?? order.error} what="this line" fields={FIELDS} />
      </td>
      <td className={classes.moves}>
        <button type="button" aria-label={`${band.name} before`} disabled={nth === 0} onClick={() => move(-1)}>
          ↑
        </button>
        <button
          type="button"
          aria-label={`${band.name} after`}
          disabled={nth === tariff.bands.length - 1}
          onClick={() => move(1)}
        >
          ↓
        </button>
        <button
          type="button"
          aria-label={`Take away ${band.name}`}
          disabled={edit.isPending}
          onClick={() => edit.mutate({ kind: "band", id: band.id, version: band.version, remove: true })}
        >
          ×
        </button>
      </td>
    </tr>
  );
}

function DefaultRow({ tariff: known }: { tariff: Tariff }) {
  const tariff = useTypedRow("tariff", known);
  const edit = useRowEdit();
  const errors = edit.error instanceof ApiError ? edit.error.byField : {};
  return (
    <tr>
      <td>
        <DepthSwatch depth={tariff.depths.at(-1) ?? 0} />
      </td>
      <th scope="row">default</th>
      <td>
        <TextField
          label="Default price"
          size={8}
          value={sheetPrice(tariff.default_price)}
          error={errors.default_price}
          onCommit={(text) =>
            edit.mutate({
              kind: "tariff",
              id: tariff.id,
              version: tariff.version,
              values: { default_price: text.replace(",", ".") },
            })
          }
        />
      </td>
      <td colSpan={4}>whenever no line matches</td>
      <td>
        {hours(tariff.default_hours_a_week)}
        <EditProblem error={edit.error} what="this tariff" fields={["default_price"]} />
      </td>
      <td />
    </tr>
  );
}

/** In how many hours a line holds, and who takes the others from it. */
function tellHeld(band: Line): string {
  const lost = band.claimed_hours_a_week - band.hours_a_week;
  if (band.hours_a_week === 0) return `never: ${band.beaten_by.join(", ") || "nothing"} stands before it`;
  if (lost <= 0) return hours(band.hours_a_week);
  return `${hours(band.hours_a_week)}; ${hours(lost)} go to ${band.beaten_by.join(", ")}`;
}

function hours(value: number): string {
  return `${Number(value.toFixed(1))} h a week`;
}
