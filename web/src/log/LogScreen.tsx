import { useState } from "react";
import { BringFile } from "../shared/BringFile";
import { mannerOf, nightTitle } from "../shared/format";
import page from "../shared/Page.module.css";
import { Undo } from "../shared/Undo";
import { moved } from "../shared/wall";
import classes from "./Log.module.css";
import { bringSessions, type Log, type Until, useLog, useLogEdit } from "./log.queries";
import { NightOfCar } from "./NightOfCar";
import { NightHours } from "./NightStrip";
import { Statement } from "./Statement";

/** The morning's question: what the nights came to, beside what was planned. */
export function LogScreen() {
  const [until, setUntil] = useState<Until>(null);
  const log = useLog(until);
  if (log.isPending) return <p>Opening the log …</p>;
  if (!log.data) return <p role="alert">{log.error.message}</p>;
  return <Shown log={log.data} until={until} setUntil={setUntil} />;
}

function Shown({ log, until, setUntil }: { log: Log; until: Until; setUntil: (until: Until) => void }) {
  const manner = mannerOf(log);
  const edit = useLogEdit(until);
  const [open, setOpen] = useState<string | null>(null);
  // What was wrong in one form is nothing to the next.
  function show(form: string | null) {
    edit.reset();
    setOpen(form);
  }
  // Another may be open by the time that the answer has come.
  const close = (form: string) => setOpen((shown) => (shown === form ? null : shown));
  const cars = log.nights[0]?.cars ?? [];
  return (
    <div className={page.page}>
      <div className={page.title}>
        <h1>Log</h1>
        <span>What the nights came to, beside what was planned</span>
        <Undo what={log.undo} />
      </div>
      {cars.length === 0 && <p>No car is drawn yet: what it charges in a night will stand here in the morning.</p>}
      {cars.length > 0 && log.months.length === 0 && (
        <p>
          Every night stands here when it is over, as the plan of that evening had it. Say in the morning how it went,
          or write down what meter and car showed: then this page says what it cost and why it came out otherwise, and
          adds the month up.
        </p>
      )}
      {cars.length > 0 &&
        log.nights.map((night) => (
          <section key={night.night} className={classes.night} aria-label={nightTitle(night.night)}>
            <h2>{nightTitle(night.night)}</h2>
            <NightHours night={night} manner={manner} />
            <ul className={classes.cars}>
              {night.cars.map((car) => (
                <NightOfCar key={car.id} {...{ car, night, manner, edit, open }} setOpen={show} close={close} />
              ))}
            </ul>
          </section>
        ))}
      {cars.length > 0 && (
        <p className={classes.paging}>
          {!log.is_first && (
            <button type="button" onClick={() => setUntil(earlier(log))}>
              Earlier nights
            </button>
          )}
          {!log.is_last && (
            <button type="button" onClick={() => setUntil(null)}>
              The last nights
            </button>
          )}
        </p>
      )}
      {log.months.length > 0 && <Statement months={log.months} manner={manner} />}
      <BringFile title="Bring sessions from a file, or take them with you" one="session" send={bringSessions}>
        CSV with a heading: vehicle, start, end, wall_kwh, soc_from_pct, soc_to_pct; times with their offset.{" "}
        <a href="/api/log/sessions.csv" download="sessions.csv">
          The sessions kept here
        </a>{" "}
        are such a file.
      </BringFile>
    </div>
  );
}

/** The night before the first that is shown. */
function earlier(log: Log): string {
  const first = log.nights.at(-1)?.night ?? log.last;
  return moved(`${first}T00:00`, -24 * 60).slice(0, 10);
}
