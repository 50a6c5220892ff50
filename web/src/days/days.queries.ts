import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, type Schemas, told } from "../api/client";
import { LOOK_ANEW_MS } from "../shared/anew";
import { answered } from "../shared/outdated";
import { useWaiting } from "../shared/waiting";
import { moved, wall } from "../shared/wall";

export type Days = Schemas["Days"];
export type CarDays = Schemas["CarDays"];
export type Trip = Schemas["TripOnSheet"];
export type TripEdit = Schemas["TripEdit"];

const KEY = "days";

export function useDays(nights: number) {
  return useQuery({
    queryKey: [KEY, nights],
    placeholderData: (earlier) => earlier,
    queryFn: () => told(api.GET("/api/days", { params: { query: { nights } } })),
    refetchInterval: LOOK_ANEW_MS,
  });
}

/** Every edit of the coming days: each answers with the days planned anew. A usual day that is moved is added as a trip. */
export type Edit =
  | { what: "add"; trip: TripEdit; usual?: { leave: string; minutes: number } }
  | { what: "move"; trip: number; minutes: number }
  | { what: "change"; id: number; version: number; trip: TripEdit }
  | { what: "remove"; id: number; version: number }
  | { what: "copy"; id: number; days: string[] }
  | { what: "night"; car: string; night: string; version: number; plugged_in: boolean }
  | { what: "at home"; car: string; day: string; at_home: boolean }
  | { what: "way out"; car: string; by: string; told: string };

export function useDaysEdit(nights: number) {
  const client = useQueryClient();
  return useMutation({
    mutationKey: [KEY],
    scope: { id: "days" },
    mutationFn: (edit: Edit) => {
      const asked = edit.what === "move" ? moveOf(edit, client.getQueryData<Days>([KEY, nights])) : edit;
      return told(send(asked, nights));
    },
    onSuccess: (days: Days) => answered(client, [KEY, nights], days),
  });
}

/** By how many minutes a car's trip, or usual day, is on its way to be moved. */
export function useMoving(car: string, trip: Trip): number {
  const waiting = useWaiting<Edit>([KEY]);
  return waiting.reduce((all, edit) => all + (movedBy(edit, car, trip) ?? 0), 0);
}

function movedBy(edit: Edit, car: string, trip: Trip): number | undefined {
  if (edit.what === "move" && edit.trip === trip.id) return edit.minutes;
  if (edit.what !== "add" || trip.id !== null || edit.trip.vehicle_id !== Number(car)) return undefined;
  return edit.usual?.leave === trip.leave ? edit.usual.minutes : undefined;
}

/** What is being asked for a car's night, where something is. */
export function useAskedOfNight(car: string, night?: string) {
  const asked = useWaiting<Edit>([KEY]).filter((edit) => edit.what === "night");
  return asked.findLast((edit) => edit.car === car && edit.night === night);
}

/** A trip is moved from where it is once every edit before has been answered. */
function moveOf({ trip, minutes }: Extract<Edit, { what: "move" }>, days?: Days): Sent {
  const found = days?.cars.flatMap((car) => car.trips).find((one) => one.id === trip);
  if (!days || !found) throw new Error("the trip is not there any more.");
  return { what: "change", id: trip, version: found.version, trip: shifted(found, minutes, days.timezone) };
}

/** When a trip would leave and be back, so many minutes later by the clock. */
export function shifted(trip: Trip, minutes: number, timezone: string) {
  const shift = (instant: string) => moved(wall(instant, timezone), minutes);
  return { leave: shift(trip.leave), back: shift(trip.back) };
}

type Sent = Exclude<Edit, { what: "move" }>;

function send(edit: Sent, nights: number) {
  switch (edit.what) {
    case "add":
      return api.POST("/api/days/trips", { params: { query: { nights } }, body: edit.trip });
    case "change": {
      const params = { path: { trip_id: edit.id }, query: { nights, version: edit.version } };
      return api.PATCH("/api/days/trips/{trip_id}", { params, body: edit.trip });
    }
    case "remove": {
      const params = { path: { trip_id: edit.id }, query: { nights, version: edit.version } };
      return api.DELETE("/api/days/trips/{trip_id}", { params });
    }
    case "copy": {
      const params = { path: { trip_id: edit.id }, query: { nights } };
      return api.POST("/api/days/trips/{trip_id}/copies", { params, body: { days: edit.days } });
    }
    case "night": {
      const path = { vehicle_id: Number(edit.car), night: edit.night };
      const params = { path, query: { nights, version: edit.version } };
      return api.PATCH("/api/days/nights/{vehicle_id}/{night}", { params, body: { plugged_in: edit.plugged_in } });
    }
    case "at home": {
      const params = { path: { vehicle_id: Number(edit.car), day: edit.day }, query: { nights } };
      return api.PUT("/api/days/at_home/{vehicle_id}/{day}", { params, body: { at_home: edit.at_home } });
    }
    case "way out": {
      const body = { vehicle: Number(edit.car), by: edit.by, told: edit.told };
      return api.POST("/api/days/ways_out", { params: { query: { nights } }, body });
    }
  }
}

export function useHabits(nights: number, asked: boolean) {
  return useQuery({
    queryKey: ["habits", nights],
    enabled: asked,
    queryFn: () => told(api.GET("/api/habits", { params: { query: { nights } } })),
  });
}
