import type { CarTonight, Schemas } from "../api/client";
import classes from "./Tonight.module.css";

/** What to key in, and the cautions that belong to it. */
export function MarginNotes({ car, cautions }: { car: CarTonight; cautions: Schemas["CautionTonight"][] }) {
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
                  {setting.what} <strong>{setting.value}</strong>
                </dd>
              </div>
            ))}
          </dl>
        </>
      )}
      {car.action === "plug_in" &&
        cautions.map((caution) => (
          <details key={caution.code} className={classes.caution} open={cautions.length === 1}>
            <summary>{TITLES[caution.code] ?? "Mind"}</summary>
            <p>{caution.text}</p>
          </details>
        ))}
    </aside>
  );
}

const TITLES: Record<string, string> = {
  "socket-continuous": "Socket near its limit for hours",
  "socket-daily": "An ordinary socket, night after night",
  "no-residual-current-protection": "No residual-current protection recorded",
  "lead-above-circuit": "Lead above its circuit",
  "breaker-above-wire": "Breaker above its wire",
  "low-voltage": "Low voltage under load",
  "other-loads": "Other loads on the circuit",
  "continuous-rule": "Above the continuous-load rule",
};
