import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, type Schemas, told } from "../api/client";
import { outdated } from "../shared/outdated";

export type UsualOfCar = Schemas["UsualOfCar"];

const KEY = ["usual"];

export function useUsual() {
  return useQuery({ queryKey: KEY, queryFn: () => told(api.GET("/api/usual")) });
}

export function useReadOdometer(car: number) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (body: Schemas["OdometerIn"]) =>
      told(api.POST("/api/usual/{vehicle_id}/odometer", { params: { path: { vehicle_id: car } }, body })),
    onSuccess: () => outdated(client),
  });
}

export function useRemoveOdometer() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: ({ id, version }: { id: number; version: number }) =>
      told(
        api.DELETE("/api/usual/odometer/{reading_id}", { params: { path: { reading_id: id }, query: { version } } }),
      ),
    onSuccess: () => outdated(client),
  });
}

export function bringOdometer(car: number, form: FormData) {
  return told(
    api.POST("/api/usual/{vehicle_id}/table", { params: { path: { vehicle_id: car } }, body: form as never }),
  );
}
