import { useState } from "react";
import { mannerOf } from "../shared/format";
import page from "../shared/Page.module.css";
import { Undo } from "../shared/Undo";
import { Asked } from "./Asked";
import { BandTable } from "./BandTable";
import { Compare } from "./Compare";
import { DatedPrices } from "./DatedPrices";
import { NewTariff } from "./NewTariff";
import { PaintedWeek } from "./PaintedWeek";
import { type Prices, type Tariff, usePrices } from "./prices.queries";
import { TariffSheet } from "./TariffSheet";

export function PricesScreen() {
  const prices = usePrices();
  if (prices.isPending) return <p>Fetching the tariffs …</p>;
  if (!prices.data) return <p role="alert">{prices.error?.message}</p>;
  return <Shown prices={prices.data} />;
}

function Shown({ prices }: { prices: Prices }) {
  const manner = mannerOf(prices);
  const [picked, setPicked] = useState<number | null>(null);
  const present = prices.tariffs.find((tariff) => tariff.in_force) ?? prices.tariffs[0];
  const tariff = prices.tariffs.find((one) => one.id === picked) ?? present;
  return (
    <div className={page.page}>
      <div className={page.title}>
        <h1>Prices</h1>
        <span className={page.choice}>
          {prices.tariffs.map((one) => (
            <label key={one.id}>
              <input type="radio" name="tariff" checked={one === tariff} onChange={() => setPicked(one.id)} />
              <span>
                {one.name} <em>{standing(one)}</em>
              </span>
            </label>
          ))}
        </span>
        <NewTariff prices={prices} like={tariff} />
        <Undo what={prices.undo} />
      </div>
      {!tariff && (
        <p>
          No tariff yet. Take your sheet and type its default price; every line that it has besides is added here, by
          typing or by painting the week.
        </p>
      )}
      {tariff && (
        <>
          <Asked key={`asked ${tariff.id}`} tariff={tariff} now={prices.now} manner={manner} />
          <PaintedWeek key={`week ${tariff.id}`} tariff={tariff} />
          <BandTable tariff={tariff} />
          <TariffSheet key={`sheet ${tariff.id}`} tariff={tariff} prices={prices} />
          <DatedPrices tariff={tariff} prices={prices} manner={manner} />
        </>
      )}
      <Compare tariffs={prices.tariffs} manner={manner} />
    </div>
  );
}

/** Where a tariff stands: in force, to come, over, or only looked at. */
function standing(tariff: Tariff): string {
  if (tariff.in_force) return "in force";
  if (tariff.rival) return "to compare";
  return tariff.since ? `from ${tariff.since}` : "earlier";
}
