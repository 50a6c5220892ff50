import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, told, type WholeHousehold } from "../api/client";
import { answered } from "../shared/outdated";
import { useWaiting } from "../shared/waiting";
import type { Kind } from "./fields";

const KEY = ["household"];
const ROW = ["row"];
export type Values = Record<string, unknown>;
export type RowKind = Exclude<Kind, "household">;

export function useHousehold() {
  return useQuery({ queryKey: KEY, queryFn: () => told(api.GET("/api/household")) });
}

/** One mutation for every kind of row: no id adds, `remove` takes away, else it changes the row of that version. */
export interface RowEdit {
  kind: Kind;
  id?: number;
  version?: number;
  values?: Values;
  remove?: boolean;
}

export function useRowEdit() {
  const client = useQueryClient();
  return useMutation({
    mutationKey: ROW,
    scope: { id: "rows" },
    mutationFn: (edit: RowEdit) => send(edit),
    // What shows the row is fetched again before the row is no longer shown as typed.
    onSuccess: (whole: WholeHousehold) => answered(client, KEY, whole, true),
  });
}

/** A row with what has been typed into it and is on its way. */
export function useTypedRow<Row extends { id: number }>(kind: RowKind, row: Row): Row {
  const waiting = useWaiting<RowEdit>(ROW);
  const shown: Values & Row = { ...row };
  for (const edit of waiting) {
    if (edit.kind === kind && edit.id === row.id) Object.assign(shown, withEntries(shown, edit.values));
  }
  return shown;
}

/** Of what a row has by name, such as a figure a weekday, an edit gives the entries that it changes. */
function withEntries(row: Values, values: Values = {}): Values {
  const whole = Object.entries(values).map(([name, value]) => {
    const before = row[name];
    return [name, byName(value) && byName(before) ? { ...before, ...value } : value];
  });
  return Object.fromEntries(whole);
}

function byName(value: unknown): value is Values {
  return typeof value === "object" && value !== null && !Array.isArray(value);
}

function send({ kind, id, version = 0, values = {}, remove }: RowEdit): Promise<WholeHousehold> {
  const body = values as never;
  if (kind === "household") return told(api.PATCH("/api/household", { params: { query: { version } }, body }));
  if (id === undefined) return told(api.POST(`/api/${kind}s/`, { body }));
  const params = { path: { row_id: id }, query: { version } };
  if (remove) return told(api.DELETE(`/api/${kind}s/{row_id}`, { params }));
  return told(api.PATCH(`/api/${kind}s/{row_id}`, { params, body }));
}
