import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, told } from "../api/client";

/** Asks how the last night went, as long as nobody has written it down. */
export function LastNight() {
  const unwritten = useQuery({ queryKey: ["unwritten"], queryFn: () => told(api.GET("/api/log/unwritten")) });
  const cars = unwritten.data?.cars ?? [];
  return cars.length === 0 ? null : <Link to="/log">How did last night go for {cars.join(" and ")}?</Link>;
}
