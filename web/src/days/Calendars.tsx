import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Schemas, told } from "../api/client";
import { EditProblem } from "../shared/EditProblem";
import { FileInput } from "../shared/FileInput";
import { clock, counted, dayTold, type Manner, toKm, toUnit } from "../shared/format";
import { figure } from "../shared/number";
import { outdated } from "../shared/outdated";
import classes from "./Days.module.css";
import type { CarDays } from "./days.queries";

type Asked = Schemas["EventAsked"];
type Answer = { car: string; km: string };

/** Trips out of a calendar file, and the plan as a calendar to subscribe to. */
export function Calendars({ cars, manner }: { cars: CarDays[]; manner: Manner }) {
  return (
    <section className={classes.usual} aria-label="Calendars">
      <h2>Calendars</h2>
      <Bring cars={cars} manner={manner} />
      <Feed />
    </section>
  );
}

function Bring({ cars, manner }: { cars: CarDays[]; manner: Manner }) {
  const client = useQueryClient();
  const [text, setText] = useState("");
  const [answers, setAnswers] = useState<Record<string, Answer>>({});
  // What was found stays where an answer is refused.
  const [found, setFound] = useState<Schemas["CalendarBrought"] | null>(null);
  const bringing = useMutation({
    mutationFn: ({ keep, droppedToo = false }: { keep: boolean; droppedToo?: boolean }) =>
      told(
        api.POST("/api/calendar", {
          body: { text, keep, answers: given(answers, manner), dropped_too: droppedToo },
        }),
      ),
    onSuccess: (brought) => {
      setFound(brought);
      if (brought.kept) outdated(client);
    },
  });
  const answerOf = (asked: Asked): Answer =>
    answers[asked.summary] ?? {
      car: String(asked.vehicle_id ?? cars[0]?.id ?? ""),
      km: asked.km === null ? "" : String(Math.round(toUnit(asked.km, manner))),
    };
  return (
    <div className={classes.usualCar}>
      <p>
        A calendar's events become trips: an iCalendar file, the distance in its text (“Office, 64 {manner.distanceUnit}
        ”), there and back. What a text does not say is asked for once. Brought in again, trips change and go with their
        events; one that was taken away here stays away.
      </p>
      <FileInput
        label="Calendar file"
        accept=".ics,text/calendar"
        onChoose={async (file) => {
          setText((await file?.text()) ?? "");
          setAnswers({});
          setFound(null);
          bringing.reset();
        }}
      />{" "}
      <button type="button" disabled={!text || bringing.isPending} onClick={() => bringing.mutate({ keep: false })}>
        See what it would bring
      </button>
      {bringing.isPending && <p role="status">Reading the calendar …</p>}
      {bringing.error && <p role="alert">{bringing.error.message}</p>}
      {found && (
        <div aria-live="polite">
          <p>
            {found.kept ? "Brought in" : "It would bring"} {counted(found.new, "trip")}; {found.again}{" "}
            {found.again === 1 ? "is" : "are"} here already{found.changed + found.gone > 0 && `; ${changed(found)}`}.
          </p>
          {found.dropped > 0 && (
            <p>
              {counted(found.dropped, "event")} {found.dropped === 1 ? "stays" : "stay"} out: somebody took{" "}
              {found.dropped === 1 ? "its trip" : "their trips"} away here.{" "}
              <button
                type="button"
                disabled={bringing.isPending}
                onClick={() => bringing.mutate({ keep: true, droppedToo: true })}
              >
                Bring {found.dropped === 1 ? "it" : "them"} in, too
              </button>
            </p>
          )}
          <ul>
            {found.refused.map((one) => (
              <li key={`${one.when} ${one.summary} ${one.reason}`}>
                {one.summary || "without a name"}
                {one.when && `, ${dayTold(one.when, manner)} ${clock(one.when, manner)},`} is refused: {one.reason}
              </li>
            ))}
          </ul>
          {found.asks.map((asked) => {
            const answer = answerOf(asked);
            const set = (change: Partial<Answer>) =>
              setAnswers({ ...answers, [asked.summary]: { ...answer, ...change } });
            return (
              <p key={asked.summary} className={classes.asked}>
                <strong>{asked.summary || "without a name"}</strong> ({asked.times} times): how far, and with which car?{" "}
                <label>
                  Distance of {asked.summary}{" "}
                  <input inputMode="decimal" value={answer.km} onChange={(e) => set({ km: e.currentTarget.value })} />{" "}
                  {manner.distanceUnit}
                </label>{" "}
                <select
                  aria-label={`Car of ${asked.summary}`}
                  value={answer.car}
                  onChange={(e) => set({ car: e.currentTarget.value })}
                >
                  {cars.map((car) => (
                    <option key={car.id} value={car.id}>
                      {car.name}
                    </option>
                  ))}
                </select>
              </p>
            );
          })}
          {!found.kept && (found.new + found.changed + found.gone > 0 || found.asks.length > 0) && (
            <button type="button" disabled={bringing.isPending} onClick={() => bringing.mutate({ keep: true })}>
              Bring them in
            </button>
          )}
        </div>
      )}
    </div>
  );
}

function changed({ kept, changed, gone }: Schemas["CalendarBrought"]): string {
  const told = [
    changed > 0 && `${counted(changed, "trip")} ${kept ? "changed" : "would change"} with the event`,
    gone > 0 && `${counted(gone, "trip")} ${kept ? "went" : "would go"}, the event is called off`,
  ];
  return told.filter(Boolean).join("; ");
}

function given(answers: Record<string, Answer>, manner: Manner): Schemas["EventAnswer"][] {
  return Object.entries(answers)
    .filter(([, answer]) => answer.km.trim() !== "")
    .map(([summary, answer]) => ({
      summary,
      vehicle_id: Number(answer.car),
      km: toKm(figure(answer.km), manner),
    }));
}

function Feed() {
  const client = useQueryClient();
  const feed = useQuery({ queryKey: ["feed"], queryFn: () => told(api.GET("/api/calendar")) });
  const renewing = useMutation({
    mutationFn: () => told(api.POST("/api/calendar/renewal")),
    onSuccess: (renewed) => client.setQueryData(["feed"], renewed),
  });
  if (!feed.data) return null;
  const address = window.location.origin + feed.data.path;
  return (
    <div className={classes.usualCar}>
      <p>
        The coming week's sessions, and when to plug in, as a calendar: subscribe to{" "}
        <a href={feed.data.path} className={classes.address}>
          {address}
        </a>{" "}
        or{" "}
        <a href={feed.data.path} download="moon-plan.ics">
          take it as a file
        </a>
        . Whoever knows the address can read it.{" "}
        <button type="button" disabled={renewing.isPending} onClick={() => renewing.mutate()}>
          Make a new address
        </button>
      </p>
      <EditProblem error={renewing.error} what="the address" />
    </div>
  );
}
