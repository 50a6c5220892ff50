import type { QueryClient } from "@tanstack/react-query";

/**
 * After an edit, everything but what the edit answered with is out of date: what is on its way is dropped, since it may
 * tell of the time before the edit, also where a screen still waits for it; and what is on the screen is fetched again.
 */
export async function outdated(client: QueryClient, answered?: unknown): Promise<void> {
  const others = { predicate: (query: { queryKey: readonly unknown[] }) => query.queryKey[0] !== answered };
  await client.cancelQueries(others);
  await client.invalidateQueries(others);
}
