import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, type Schemas, told } from "../api/client";
import { answered } from "../shared/outdated";

export type Sun = Schemas["SunScreen"];
export type SunDay = Schemas["SunDay"];

const KEY = ["sun"];

export function useSun() {
  return useQuery({ queryKey: KEY, queryFn: () => told(api.GET("/api/sun")) });
}

export function useWaiting(day: string | null) {
  return useQuery({
    queryKey: ["waiting", day],
    queryFn: () => told(api.GET("/api/sun/waiting", { params: { query: day ? { day } : {} } })),
    placeholderData: (before) => before,
  });
}

function useTake(send: () => Promise<Sun>) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: send,
    onSuccess: (sun) => answered(client, KEY, sun),
  });
}

export function useTakeCorrection() {
  return useTake(() => told(api.POST("/api/sun/correction")));
}

export function useTakeLoad(version: number) {
  return useTake(() => told(api.POST("/api/sun/house_load", { params: { query: { version } } })));
}

export function bringSeries(kind: string, form: FormData) {
  const params = { path: { kind } };
  return told(api.POST("/api/series/{kind}", { params, body: form as never }));
}
