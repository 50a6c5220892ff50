import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { ApiError, api, type Schemas, told } from "../api/client";
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
  | { what: "move"; band: number; version: number; to: number };

/** Edits of tariffs as a whole; single fields of a tariff or band are edited as rows. */
export function useTariffEdit() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (edit: Edit) => told(send(edit)),
    onSuccess: (prices: Prices) => answered(client, KEY, prices),
    onError: (error) => {
      if (error instanceof ApiError && error.status === 409) client.invalidateQueries({ queryKey: KEY });
    },
  });
}

function send(edit: Edit) {
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
      const params = { path: { band_id: edit.band }, query: { version: edit.version } };
      return api.POST("/api/prices/bands/{band_id}/place", { params, body: { to: edit.to } });
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
