import { ARRAY, PLACE } from "../household/fields";
import { useHousehold } from "../household/household.queries";
import { Node } from "../household/Node";
import { mannerOf } from "../shared/format";
import page from "../shared/Page.module.css";
import { Undo } from "../shared/Undo";
import { Ahead } from "./Ahead";
import { HouseLoad } from "./HouseLoad";
import { Measured } from "./Measured";
import classes from "./Sun.module.css";
import { SunOrCheapest } from "./SunOrCheapest";
import { type Sun, useSun } from "./sun.queries";
import { Waiting } from "./Waiting";

const WHERE = PLACE.filter((field) => ["latitude", "longitude"].includes(field.name)).map((field) => ({
  ...field,
  more: false,
}));

export function SunScreen() {
  const sun = useSun();
  if (sun.isPending) return <p>Looking at the sky …</p>;
  if (!sun.data) return <p role="alert">{sun.error?.message}</p>;
  return <Shown sun={sun.data} />;
}

function Shown({ sun }: { sun: Sun }) {
  const manner = mannerOf(sun);
  return (
    <div className={page.page}>
      <div className={page.title}>
        <h1>Sun</h1>
        <Undo what={sun.undo} />
      </div>
      <Roof sun={sun} />
      {sun.days.length > 0 && (
        <>
          <Waiting manner={manner} />
          <Ahead sun={sun} manner={manner} />
          <SunOrCheapest manner={manner} />
        </>
      )}
      <Measured sun={sun} manner={manner} />
      <HouseLoad sun={sun} manner={manner} />
    </div>
  );
}

/** The panels, each plane a line, and where the house is. */
function Roof({ sun }: { sun: Sun }) {
  const whole = useHousehold();
  if (!whole.data) return null;
  const placed = sun.latitude !== null && sun.longitude !== null;
  return (
    <section aria-label="The roof">
      {sun.arrays.length === 0 && (
        <p>
          No panels are drawn yet.{" "}
          {sun.typed_day.length > 0
            ? "The sun of a usual day, as typed in the household, is planned with until they are."
            : "Draw them, and every plan knows what the roof will leave over."}
        </p>
      )}
      {sun.arrays.length > 0 && !placed && (
        <p role="alert">Where the house is decides how high the sun stands: type its latitude and longitude.</p>
      )}
      <ul className={classes.roof}>
        {sun.arrays.map((array) => (
          <Node
            key={array.id}
            kind="array"
            title={array.name}
            tells={`${array.kwp} kWp, tilted ${array.tilt_deg}°, looking to ${array.azimuth_deg}°, ${array.losses_pct} % lost${array.inverter_kw ? `, at most ${array.inverter_kw} kW` : ""}${array.correction === 1 ? "" : `, corrected by ${array.correction}`}`}
            fields={ARRAY}
            whole={whole.data}
            row={array as never}
          />
        ))}
        <Node
          kind="array"
          title="+ Panels in one plane"
          fields={ARRAY}
          whole={whole.data}
          defaults={{ tilt_deg: 30, azimuth_deg: 180, losses_pct: 14 }}
          asks={sun.arrays.length === 0 && sun.typed_day.length === 0}
        />
        <Node
          kind="household"
          title="Where the house is"
          tells={onTheGlobe(sun)}
          fields={WHERE}
          whole={whole.data}
          row={{ ...whole.data.household, id: undefined, version: whole.data.household.version }}
          asks={sun.arrays.length > 0 && !placed}
        />
      </ul>
    </section>
  );
}

function onTheGlobe({ latitude, longitude }: Sun): string {
  if (latitude === null || longitude === null) return "not known";
  return `${Math.abs(latitude)}° ${latitude < 0 ? "south" : "north"}, ${Math.abs(longitude)}° ${longitude < 0 ? "west" : "east"}`;
}
