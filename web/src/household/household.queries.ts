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
  const typed = waiting.filter((edit) => edit.kind === kind && edit.id === row.id).map((edit) => edit.values);
  return Object.assign({}, row, ...typed);
}

function send({ kind, id, version = 0, values = {}, remove }: RowEdit): Promise<WholeHousehold> {
  const body = values as never;
  if (kind === "household") return told(api.PATCH("/api/household", { params: { query: { version } }, body }));
  if (id === undefined) return told(api.POST(`/api/${kind}s/`, { body }));
  const params = { path: { row_id: id }, query: { version } };
  if (remove) return told(api.DELETE(`/api/${kind}s/{row_id}`, { params }));
  return told(api.PATCH(`/api/${kind}s/{row_id}`, { params, body }));
}
