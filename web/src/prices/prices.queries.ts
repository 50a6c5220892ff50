import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { api, type Schemas, told } from "../api/client";
import { answered } from "../shared/outdated";

export type Prices = Schemas["PricesScreen"];
export type Tariff = Schemas["TariffShown"];
export type Line = Schemas["LineShown"];
export type Comparison = Schemas["TariffComparison"];

const KEY = ["prices"];
const MONTHS = 12;

export function usePrices() {
  return useQuery({ queryKey: KEY, queryFn: () => told(api.GET("/api/prices")) });
}

type Edit =
  | { what: "new"; tariff: Schemas["NewTariff"] }
  | { what: "drop"; id: number; version: number }
  | { what: "paint"; id: number; stroke: Schemas["StrokeIn"] }
  | { what: "move"; band: number; by: number };

/** Edits of tariffs as a whole; single fields of a tariff or band are edited as rows. */
export function useTariffEdit() {
  const client = useQueryClient();
  return useMutation({
    scope: { id: "tariffs" },
    mutationFn: (edit: Edit) => told(send(edit, client.getQueryData<Prices>(KEY))),
    onSuccess: (prices: Prices) => answered(client, KEY, prices),
  });
}

function send(edit: Edit, shown?: Prices) {
  switch (edit.what) {
    case "new":
      return api.POST("/api/prices/tariffs", { body: edit.tariff });
    case "drop": {
      const params = { path: { tariff_id: edit.id }, query: { version: edit.version } };
      return api.DELETE("/api/prices/tariffs/{tariff_id}", { params });
    }
    case "paint": {
      const params = { path: { tariff_id: edit.id } };
      return api.POST("/api/prices/tariffs/{tariff_id}/strokes", { params, body: edit.stroke });
    }
    case "move": {
      // From where it stands once every edit before has been answered.
      const lines = shown?.tariffs.find(({ bands }) => bands.some(({ id }) => id === edit.band))?.bands ?? [];
      const from = lines.findIndex(({ id }) => id === edit.band);
      const params = { path: { band_id: edit.band }, query: { version: lines[from]?.version ?? 0 } };
      const to = Math.min(Math.max(from + edit.by, 0), lines.length - 1);
      return api.POST("/api/prices/bands/{band_id}/place", { params, body: { to } });
    }
  }
}

export function usePaid(tariff: Tariff, at: string) {
  return useQuery({
    queryKey: ["paid", tariff.id, at, tariff],
    queryFn: () =>
      told(
        api.GET("/api/prices/tariffs/{tariff_id}/paid", { params: { path: { tariff_id: tariff.id }, query: { at } } }),
      ),
    placeholderData: (before) => before,
  });
}

export function bringPrices(tariff: Tariff, form: FormData) {
  const params = { path: { tariff_id: tariff.id } };
  return told(api.POST("/api/prices/tariffs/{tariff_id}/dated", { params, body: form as never }));
}

/** The year behind under each tariff, one month after the other, so that a person sees it grow. */
export function useComparison(tariffs: number[], asked: boolean) {
  const [months, setMonths] = useState(1);
  const key = tariffs.join(" ");
  // biome-ignore lint/correctness/useExhaustiveDependencies: another choice of tariffs begins again
  useEffect(() => setMonths(1), [key]);
  const found = useQuery({
    queryKey: ["tariff comparison", key, months],
    enabled: asked && tariffs.length > 1,
    queryFn: () => told(api.GET("/api/prices/comparison", { params: { query: { tariff: tariffs, months } } })),
    placeholderData: (before) => before,
  });
  const done = found.data?.months.length ?? 0;
  useEffect(() => {
    if (asked && !found.isPlaceholderData && done === months && months < MONTHS) setMonths(months + 1);
  }, [asked, found.isPlaceholderData, done, months]);
  return { ...found, done, of: MONTHS };
}
