import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, type CarTonight, type EveningEdit, type Tonight, told } from "../api/client";
import { LOOK_ANEW_MS } from "../shared/anew";
import { answered } from "../shared/outdated";
import { useWaiting } from "../shared/waiting";
import { pinnedToo } from "./pins";

const KEY = ["tonight"];

export function useTonight() {
  return useQuery({ queryKey: KEY, queryFn: () => told(api.GET("/api/tonight")), refetchInterval: LOOK_ANEW_MS });
}

/** An edit that is made on what is shown by the time it is sent, or on certain versions. */
export type Edit = Omit<EveningEdit, "versions"> & { versions?: EveningEdit["versions"] };

/**
 * Edits of one car's evening, one after the other. A refused one leaves the last good plan where it is. What is on its way
 * is `typed`.
 */
export function useEveningEdit(car: CarTonight) {
  const mutationKey = ["evening", car.id];
  const editing = useEdit(car.id, (edit: Edit) => edit, mutationKey);
  const waiting = useWaiting<Edit>(mutationKey);
  return {
    ...editing,
    edit: (fields: Edit) => editing.mutate({ versions: versionsOf(car), ...fields }),
    typed: Object.assign({}, ...waiting) as Edit,
  };
}

/** How many minutes later a session is to be, and how many longer. */
export type Pull = { later: number; longer: number };

/** Pulls one of a car's sessions elsewhere: from where it is once every edit before has been answered, so much `later` in all. */
export function usePull(carId: string, nth: number) {
  const mutationKey = ["pull", carId, String(nth)];
  const pulledFrom = ({ later, longer }: Pull, car?: CarTonight) => {
    const session = car?.pinnable[nth];
    if (!session) throw new Error("the session is not there any more.");
    return { pins: pinnedToo(car.inputs.pins, session, later, longer) };
  };
  const pulling = useEdit(carId, pulledFrom, mutationKey);
  const waiting = useWaiting<Pull>(mutationKey);
  return { ...pulling, later: waiting.reduce((all, { later }) => all + later, 0) };
}

function useEdit<Asked>(carId: string, editOf: (asked: Asked, shown?: CarTonight) => Edit, mutationKey: string[]) {
  const client = useQueryClient();
  return useMutation({
    mutationKey,
    scope: { id: "evening" },
    mutationFn: (asked: Asked) => {
      const shown = client.getQueryData<Tonight>(KEY)?.cars.find((car) => car.id === carId);
      const edit = editOf(asked, shown);
      const body = { ...edit, versions: edit.versions ?? versionsOf(shown) };
      return told(api.PATCH("/api/tonight/{vehicle_id}", { params: { path: { vehicle_id: Number(carId) } }, body }));
    },
    onSuccess: (plan: Tonight) => answered(client, KEY, plan),
  });
}

/** Takes a way out of what a car lacks by then, by its words. */
export function useWayOutTaken(carId: string, by: string) {
  const client = useQueryClient();
  return useMutation({
    scope: { id: "evening" },
    mutationFn: (words: string) =>
      told(api.POST("/api/tonight/ways_out", { body: { vehicle: Number(carId), by, told: words } })),
    onSuccess: (plan: Tonight) => answered(client, KEY, plan),
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

function versionsOf(car?: CarTonight): EveningEdit["versions"] {
  if (!car) return {};
  const { soc_version: soc, trip_version: trip, evening_version: evening, vehicle_version: vehicle } = car.inputs;
  return { soc, trip, evening, vehicle };
}
