import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, told } from "../api/client";
import { energy, type Manner, money } from "./format";
import classes from "./WaysOut.module.css";

interface Props {
  /** The car that is short. */
  car: string;
  /** By when it is: when it leaves, or when the nights end. */
  by: string;
  /** How many nights are in view; as many as tonight is planned with where none are given. */
  nights?: number;
  manner: Manner;
  busy: boolean;
  onTake: (told: string) => void;
}

/** The smallest changes that close a shortage, planned with once somebody asks for them. */
export function WaysOut(props: Props) {
  const [asked, setAsked] = useState(false);
  if (asked) return <Ways {...props} />;
  return (
    <button type="button" onClick={() => setAsked(true)}>
      Ways out
    </button>
  );
}

function Ways({ car, by, nights, manner, busy, onTake }: Props) {
  const ways = useWaysOut(car, by, nights);
  if (ways.isPending) return <span role="status">Planning with each change …</span>;
  if (ways.error) return <span role="alert">{ways.error.message}</span>;
  if (ways.data.ways.length === 0) return <span role="status">No change that is tried here helps.</span>;
  return (
    <ul className={classes.ways}>
      {ways.data.ways.map((way) => (
        <li key={way.told}>
          <button type="button" disabled={busy} onClick={() => onTake(way.told)}>
            {way.told.charAt(0).toUpperCase() + way.told.slice(1)}
          </button>{" "}
          {way.closes ? "closes it" : `leaves ${energy(way.short_kwh)} short`}, {costs(way.cost, manner)}
        </li>
      ))}
    </ul>
  );
}

function costs(more: number, manner: Manner): string {
  const told = money(Math.abs(more), manner);
  if (told === money(0, manner)) return "the same cost at home";
  return more > 0 ? `${told} more at home` : `${told} less at home`;
}

function useWaysOut(car: string, by: string, nights?: number) {
  return useQuery({
    queryKey: ["ways out", car, by, nights],
    queryFn: () => told(api.GET("/api/ways_out", { params: { query: { vehicle: Number(car), by, nights } } })),
  });
}
