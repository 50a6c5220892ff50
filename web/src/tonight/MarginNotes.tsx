import type { CarTonight, Schemas } from "../api/client";
import { Cautions } from "../shared/Cautions";
import { type Manner, unbroken } from "../shared/format";
import { ReadingHere } from "./ReadingHere";
import classes from "./Tonight.module.css";

interface Props {
  car: CarTonight;
  manner: Manner;
  cautions: Schemas["CautionTonight"][];
}

/** What to key in, the reading to take once it charges, and the cautions that belong to it. */
export function MarginNotes({ car, manner, cautions }: Props) {
  return (
    <aside className={classes.margin} aria-label={`Settings for ${car.name}`}>
      {car.to_key_in.length > 0 && (
        <>
          <h3>Key in</h3>
          <dl>
            {car.to_key_in.map((setting) => (
              <div key={setting.where + setting.what} style={{ display: "contents" }}>
                <dt>{setting.where}</dt>
                <dd>
                  {setting.what} <strong>{unbroken(setting.value)}</strong>
                </dd>
              </div>
            ))}
          </dl>
          <ReadingHere car={car} manner={manner} />
        </>
      )}
      {car.sessions.length > 0 && <Cautions cautions={cautions} />}
    </aside>
  );
}
