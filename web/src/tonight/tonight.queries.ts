import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { ApiError, api, type EveningEdit, type Tonight, told } from "../api/client";
import { answered } from "../shared/outdated";

const KEY = ["tonight"];

export function useTonight() {
  return useQuery({ queryKey: KEY, queryFn: () => told(api.GET("/api/tonight")), refetchOnWindowFocus: true });
}

/** An edit that is made on what is shown, or knowingly on other versions. */
export type Edit = Omit<EveningEdit, "versions"> & { versions?: EveningEdit["versions"] };

/**
 * Edits of one car's evening, one after the other, each on what the one before it left. A refused one leaves the last
 * good plan where it is.
 */
export function useEveningEdit(carId: string) {
  const client = useQueryClient();
  return useMutation({
    scope: { id: "evening" },
    mutationFn: (edit: Edit) => {
      const shown = client.getQueryData<Tonight>(KEY)?.cars.find((car) => car.id === carId);
      const body = { ...edit, versions: edit.versions ?? versionsOf(shown) };
      return told(api.PATCH("/api/tonight/{vehicle_id}", { params: { path: { vehicle_id: Number(carId) } }, body }));
    },
    onSuccess: (plan: Tonight) => answered(client, KEY, plan),
    onError: (error) => {
      // What the other person did is shown beside the choice.
      if (error instanceof ApiError && error.status === 409) client.invalidateQueries({ queryKey: KEY });
    },
  });
}

/** What a car's night would come to with an edit that is not made; with an empty one, what it comes to as it stands. */
export function useNightWith(carId: string, { versions = {}, ...edit }: Edit) {
  return useQuery({
    queryKey: ["night with", carId, edit, versions],
    queryFn: () =>
      told(
        api.POST("/api/tonight/{vehicle_id}/night", {
          params: { path: { vehicle_id: Number(carId) } },
          body: { ...edit, versions },
        }),
      ),
    refetchOnWindowFocus: false,
    retry: false,
  });
}

function versionsOf(car?: Tonight["cars"][number]): EveningEdit["versions"] {
  if (!car) return {};
  const { soc_version: soc, trip_version: trip, evening_version: evening, vehicle_version: vehicle } = car.inputs;
  return { soc, trip, evening, vehicle };
}
