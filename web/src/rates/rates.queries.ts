import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, type Schemas, told } from "../api/client";
import { answered } from "../shared/outdated";

export type Hookups = Schemas["Hookups"];
export type HookupOut = Schemas["HookupOut"];
export type ReadingIn = Schemas["ReadingIn"];

const KEY = ["hookups"];

export function useHookups() {
  return useQuery({ queryKey: KEY, queryFn: () => told(api.GET("/api/hookups")) });
}

function pathOf(hookup: HookupOut) {
  return { path: { vehicle_id: Number(hookup.vehicle), lead_id: Number(hookup.lead) } };
}

/** What a reading says, while it is typed. */
export function usePreview(hookup: HookupOut, reading: ReadingIn | null) {
  return useQuery({
    queryKey: ["preview", hookup.vehicle, hookup.lead, reading],
    enabled: reading !== null,
    retry: false,
    placeholderData: (earlier) => earlier,
    queryFn: () =>
      told(
        api.POST("/api/hookups/{vehicle_id}/{lead_id}/preview", {
          params: pathOf(hookup),
          body: reading ?? { kind: "display" },
        }),
      ),
  });
}

export function useTakeReading(hookup: HookupOut) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (reading: ReadingIn) =>
      told(api.POST("/api/hookups/{vehicle_id}/{lead_id}/readings", { params: pathOf(hookup), body: reading })),
    onSuccess: (all: Hookups) => answered(client, KEY, all),
  });
}

export function useEditReading() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: ({ id, version, ...fields }: Schemas["ReadingPatch"] & { id: number; version: number }) =>
      told(
        api.PATCH("/api/readings/{reading_id}", {
          params: { path: { reading_id: id }, query: { version } },
          body: fields,
        }),
      ),
    onSuccess: (all: Hookups) => answered(client, KEY, all),
  });
}

export function useKeepOption(hookup: HookupOut) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (body: Schemas["OptionKept"]) =>
      told(api.POST("/api/hookups/{vehicle_id}/{lead_id}/options", { params: pathOf(hookup), body })),
    onSuccess: (all: Hookups) => answered(client, KEY, all),
  });
}

export function useThrowOptionAway() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: ({ id, version }: { id: number; version: number }) =>
      told(api.DELETE("/api/options/{option_id}", { params: { path: { option_id: id }, query: { version } } })),
    onSuccess: (all: Hookups) => answered(client, KEY, all),
  });
}

export function bringReadings(hookup: HookupOut, form: FormData) {
  return told(api.POST("/api/hookups/{vehicle_id}/{lead_id}/table", { params: pathOf(hookup), body: form as never }));
}
