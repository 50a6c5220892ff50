import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, type Schemas, told } from "../api/client";
import { answered, outdated } from "../shared/outdated";

export type Log = Schemas["Log"];
export type LoggedNight = Schemas["LoggedNight"];
export type CarLogged = Schemas["CarLogged"];
export type Logged = Schemas["LoggedOut"];
export type SessionIn = Schemas["SessionIn"];

/** Until which night; null for the last one that is over. */
export type Until = string | null;

function keyOf(until: Until) {
  return ["log", until];
}

function asked(until: Until) {
  return until ? { until } : {};
}

export function useLog(until: Until) {
  return useQuery({
    queryKey: keyOf(until),
    placeholderData: keepPreviousData,
    queryFn: () => told(api.GET("/api/log", { params: { query: asked(until) } })),
  });
}

export type LogEdit =
  | { what: "write"; car: number; session: SessionIn }
  | { what: "night"; car: number; night: string; charged: boolean }
  | { what: "correct"; id: number; version: number; session: SessionIn }
  | { what: "take out"; id: number; version: number };

function sent(edit: LogEdit, until: Until): Promise<Log> {
  const query = asked(until);
  if (edit.what === "write") {
    const path = { vehicle_id: edit.car };
    return told(api.POST("/api/log/cars/{vehicle_id}/sessions", { params: { path, query }, body: edit.session }));
  }
  if (edit.what === "night") {
    const path = { vehicle_id: edit.car };
    const body = { night: edit.night, charged: edit.charged };
    return told(api.POST("/api/log/cars/{vehicle_id}/nights", { params: { path, query }, body }));
  }
  const params = { path: { session_id: edit.id }, query: { version: edit.version, ...query } };
  if (edit.what === "correct") {
    return told(api.PATCH("/api/log/sessions/{session_id}", { params, body: edit.session }));
  }
  return told(api.DELETE("/api/log/sessions/{session_id}", { params }));
}

export function useLogEdit(until: Until) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (edit: LogEdit) => sent(edit, until),
    onSuccess: (log) => answered(client, keyOf(until), log),
    onError: () => client.invalidateQueries({ queryKey: ["log"] }),
  });
}

/** A session that tells how the car charges, kept among the readings of its hook-up. */
export function useKeepReading() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: ({ car, lead, session }: { car: number; lead: number; session: Logged }) =>
      told(
        api.POST("/api/hookups/{vehicle_id}/{lead_id}/readings", {
          params: { path: { vehicle_id: car, lead_id: lead } },
          body: {
            kind: session.read.wall_kwh === null ? "span" : "meter",
            start: session.start,
            end: session.end,
            ...session.read,
          },
        }),
      ),
    onSuccess: () => outdated(client),
  });
}

/** "2026-01" as 2026 and 1. */
export function yearAndMonth(month: string): [number, number] {
  return month.split("-").map(Number) as [number, number];
}

export function useStatement(month: string) {
  const [year, nth] = yearAndMonth(month);
  return useQuery({
    queryKey: ["statement", month],
    placeholderData: keepPreviousData,
    queryFn: () => told(api.GET("/api/log/statements/{year}/{month}", { params: { path: { year, month: nth } } })),
  });
}

export function bringSessions(form: FormData) {
  return told(api.POST("/api/log/table", { body: form as never }));
}
