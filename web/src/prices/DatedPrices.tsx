import { useElementSize } from "@mantine/hooks";
import { useRowEdit, useTypedRow } from "../household/household.queries";
import { hours, timeAxis } from "../shared/axis";
import { BringFile } from "../shared/BringFile";
import { EditProblem } from "../shared/EditProblem";
import { clock, type Manner, nightShort, price } from "../shared/format";
import { moments, zoneAsked } from "../shared/moments";
import page from "../shared/Page.module.css";
import classes from "./Prices.module.css";
import { bringPrices, type Prices, type Tariff } from "./prices.queries";

const HEIGHT = 92;
const TOP = 16;

/** Prices by date and hour, which win over the lines: from a feed, or from a file. */
export function DatedPrices({ tariff, prices, manner }: { tariff: Tariff; prices: Prices; manner: Manner }) {
  const edit = useRowEdit();
  const chosen = useTypedRow("tariff", tariff).feed;
  const feed = prices.feeds.find((one) => one.key === tariff.feed);
  return (
    <section aria-label="Dated prices">
      <h2>Dated prices</h2>
      <p>
        They come from{" "}
        <select
          aria-label="Feed of dated prices"
          value={chosen}
          onChange={(event) =>
            edit.mutate({
              kind: "tariff",
              id: tariff.id,
              version: tariff.version,
              values: { feed: event.currentTarget.value },
            })
          }
        >
          <option value="">no feed</option>
          {prices.feeds.map((one) => (
            <option key={one.key} value={one.key}>
              the {one.name}
            </option>
          ))}
        </select>
        {feed?.simulated && " (made up, to stand in for a real one)"}
        {feed && "; tomorrow's are out in the early afternoon"}.{" "}
        {tariff.dated
          ? `Kept here: ${nightShort(tariff.dated.first)} to ${nightShort(tariff.dated.last)}.`
          : "None are kept here, so the lines hold."}{" "}
        Where there is a gap, the lines hold.
      </p>
      <EditProblem error={edit.error} what="this tariff" />
      {tariff.ahead.length > 1 && <Ahead tariff={tariff} manner={manner} simulated={feed?.simulated ?? false} />}
      <BringFile
        key={tariff.id}
        title={`Bring dated prices of ${tariff.name} from a file`}
        one="price"
        asks={[
          {
            name: "unit",
            label: "A figure is",
            choices: [
              ["per kWh", "a price per kWh"],
              ["hundredths per kWh", "hundredths per kWh"],
              ["per MWh", "a price per MWh"],
            ],
          },
          zoneAsked(manner),
        ]}
        send={(form) => bringPrices(tariff, form)}
        moment={moments(manner)}
      >
        CSV with a heading: start and price, and end where it is known; one row for every step of 15 minutes or more.
      </BringFile>
    </section>
  );
}

function Ahead({ tariff, manner, simulated }: { tariff: Tariff; manner: Manner; simulated: boolean }) {
  const { ref, width } = useElementSize();
  const known = tariff.ahead;
  const [first, last] = [known[0], known.at(-1)];
  if (!first || !last) return null;
  const x = timeAxis(first.at, last.at, Math.max(200, width - 2), 46);
  const figures = known.map((point) => point.price ?? 0);
  const most = Math.max(...figures, 0.01);
  const least = Math.min(...figures, 0);
  const y = (value: number) => TOP + ((most - value) / (most - least)) * (HEIGHT - TOP - 18);
  let path = "";
  known.forEach((point, i) => {
    const next = known[i + 1];
    if (point.price === null || !next) return;
    path += `${path && known[i - 1]?.price !== null ? "V" : `M ${x(new Date(point.at)).toFixed(1)} ${y(point.price).toFixed(1)} V`} ${y(point.price).toFixed(1)} H ${x(new Date(next.at)).toFixed(1)} `;
  });
  return (
    <figure className={page.figure} ref={ref}>
      <figcaption>
        Known ahead, a kWh{simulated && "; simulated"}: {price(Math.min(...figures.slice(0, -1)))} to {price(most)}
      </figcaption>
      <svg width={width} height={HEIGHT} role="img" aria-label="Prices known ahead, hour by hour">
        <text x={0} y={y(most) + 4} className={page.scale}>
          {most.toFixed(3)}
        </text>
        <text x={0} y={y(least) + 4} className={page.scale}>
          {least.toFixed(3)}
        </text>
        <line x1={46} x2={width} y1={y(0)} y2={y(0)} className={page.rule} />
        {hours(x, 44, manner).map((at) => (
          <g key={at.toISOString()}>
            <line x1={x(at)} x2={x(at)} y1={TOP} y2={HEIGHT - 16} className={page.rule} />
            <text x={x(at)} y={HEIGHT - 3} textAnchor="middle" className={page.scale}>
              {clock(at.toISOString(), manner)}
            </text>
          </g>
        ))}
        <path d={path} className={classes.line} />
      </svg>
    </figure>
  );
}
