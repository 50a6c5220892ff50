import { type FormEvent, useState } from "react";
import { ApiError } from "../api/client";
import { figure } from "../shared/number";
import classes from "./Prices.module.css";
import { type Prices, type Tariff, useTariffEdit } from "./prices.queries";

/** A tariff more: the next one from a date on, or a rival to look at beside yours. */
export function NewTariff({ prices, like }: { prices: Prices; like?: Tariff }) {
  const [open, setOpen] = useState(prices.tariffs.length === 0);
  const adding = useTariffEdit();
  const errors = adding.error instanceof ApiError ? adding.error.byField : {};
  if (!open) {
    return (
      <button type="button" onClick={() => setOpen(true)}>
        A tariff more
      </button>
    );
  }

  function add(event: FormEvent<HTMLFormElement>) {
    event.preventDefault();
    const form = new FormData(event.currentTarget);
    const text = (name: string) => String(form.get(name) ?? "").trim();
    const since = text("since");
    adding.mutate(
      {
        what: "new",
        tariff: {
          name: text("name"),
          rival: text("when") === "rival",
          since: text("when") === "since" && since ? since : null,
          default_price: figure(text("default_price")),
          like: form.get("like") && like ? like.id : null,
        },
      },
      { onSuccess: () => setOpen(false) },
    );
  }

  return (
    <form className={classes.form} aria-label="A tariff more" onSubmit={add}>
      <label>
        Name <input name="name" required maxLength={200} />
      </label>
      <label>
        Default price a kWh <input name="default_price" required inputMode="decimal" size={8} />
      </label>
      {errors.default_price && <p role="alert">Default price: expected {errors.default_price}</p>}
      <fieldset>
        <legend className="visually-hidden">When</legend>
        {prices.tariffs.length > 0 && (
          <label>
            <input type="radio" name="when" value="rival" defaultChecked /> to compare with ours
          </label>
        )}
        <label>
          <input type="radio" name="when" value="since" defaultChecked={prices.tariffs.length === 0} /> ours from{" "}
          <input name="since" placeholder="ever, or a day" size={13} aria-label="First day" />
        </label>
      </fieldset>
      {errors.since && <p role="alert">First day: expected {errors.since}</p>}
      {like && (
        <label>
          <input type="checkbox" name="like" /> begin with the lines and charges of {like.name}
        </label>
      )}
      {adding.error && Object.keys(errors).every((field) => !["default_price", "since"].includes(field)) && (
        <p role="alert">{adding.error.message}</p>
      )}
      <button type="submit" disabled={adding.isPending}>
        Add it
      </button>
      <button type="button" onClick={() => setOpen(false)}>
        Close
      </button>
    </form>
  );
}
