import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { ApiError, api, type Schemas, told } from "../api/client";
import { ChainDrawing } from "../shared/ChainDrawing";
import type { Manner } from "../shared/format";
import { number } from "../shared/number";
import page from "../shared/Page.module.css";
import { Given } from "./Given";
import { Options } from "./Options";
import classes from "./Rates.module.css";
import { type HookupOut, useKeepOption } from "./rates.queries";

type Change = Schemas["WhatIf"];

const LINKS: [keyof Change, string, string][] = [
  ["breaker_a", "breaker", "A"],
  ["lead_a", "lead", "A"],
  ["cable_a", "cable", "A"],
  ["onboard_kw", "on-board", "kW"],
  ["ceiling_a", "ceiling", "A"],
  ["phases", "phases", ""],
];

/** The chain link by link, and what another link would change; nothing of it is stored unless it is kept as an option. */
export function WhatIf({ hookup, manner }: { hookup: HookupOut; manner: Manner }) {
  const [texts, setTexts] = useState<Record<string, string>>({});
  const [dedicated, setDedicated] = useState(false);
  const [name, setName] = useState("");
  const change = changeOf(texts, dedicated);
  const asked = useQuery({
    queryKey: ["what-if", hookup.vehicle, hookup.lead, change],
    placeholderData: (earlier) => earlier,
    retry: false,
    queryFn: () =>
      told(
        api.POST("/api/hookups/{vehicle_id}/{lead_id}/what_if", {
          params: { path: { vehicle_id: Number(hookup.vehicle), lead_id: Number(hookup.lead) } },
          body: change,
        }),
      ),
  });
  const keep = useKeepOption(hookup);
  const clear = () => {
    setTexts({});
    setDedicated(false);
    setName("");
  };
  const errors = asked.error instanceof ApiError ? asked.error.byField : {};
  const other = Object.keys(change).length > 0;
  return (
    <section aria-label="The chain">
      {asked.data && <Chain outlook={asked.data.now} words="As it is" manner={manner} />}
      <div className={classes.asked}>
        {LINKS.map(([name, label, unit]) => (
          <div key={name} className={classes.field}>
            <label htmlFor={`what-if-${name}`}>What if: {label}</label>
            <span>
              <input
                id={`what-if-${name}`}
                type="text"
                inputMode="decimal"
                autoComplete="off"
                value={texts[name] ?? ""}
                aria-invalid={errors[name] ? true : undefined}
                onChange={(event) => setTexts({ ...texts, [name]: event.currentTarget.value })}
              />{" "}
              {unit}
            </span>
            {errors[name] && (
              <span role="alert" className={page.wrong}>
                Expected {errors[name]}
              </span>
            )}
          </div>
        ))}
        <label className={classes.flag}>
          <input type="checkbox" checked={dedicated} onChange={(event) => setDedicated(event.currentTarget.checked)} />{" "}
          A dedicated circuit
        </label>
      </div>
      {other && asked.data && !asked.error && (
        <>
          <Chain outlook={asked.data.then} words="It would be" manner={manner} />
          {asked.data.cautions.map((caution) => (
            <p key={caution.code + caution.subject} className={page.wrong}>
              {caution.title}: {caution.because}; {caution.advice}
            </p>
          ))}
        </>
      )}
      {other && asked.error && Object.keys(errors).length === 0 && <p role="alert">{asked.error.message}</p>}
      {other && (
        <form
          className={classes.bring}
          onSubmit={(event) => {
            event.preventDefault();
            keep.mutate({ name, links: change }, { onSuccess: clear });
          }}
        >
          <label>
            Called <input type="text" value={name} onChange={(event) => setName(event.currentTarget.value)} />
          </label>{" "}
          <button type="submit" disabled={keep.isPending || Boolean(asked.error)}>
            Keep it as an option
          </button>{" "}
          <button type="button" onClick={clear}>
            Throw it away
          </button>
          {keep.error && <span role="alert"> {keep.error.message}</span>}
        </form>
      )}
      <Options hookup={hookup} manner={manner} />
    </section>
  );
}

function Chain({ outlook, words, manner }: { outlook: Schemas["OutlookOut"]; words: string; manner: Manner }) {
  return (
    <div className={classes.said}>
      {words}:
      <ChainDrawing links={outlook.links} bottleneck={outlook.bottleneck} next={outlook.next} />
      <Given outlook={outlook} manner={manner} />
    </div>
  );
}

function changeOf(texts: Record<string, string>, dedicated: boolean): Change {
  const given = Object.entries(texts).filter(([, text]) => text.trim() !== "");
  const values = given.map(([name, text]) => [name, number(text)]);
  return { ...Object.fromEntries(values), ...(dedicated ? { dedicated } : {}) };
}
