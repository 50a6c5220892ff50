import type { QueryClient, QueryKey } from "@tanstack/react-query";

/**
 * After an edit, what it answered with is shown, also where the same was asked for before the edit and is still on its way;
 * everything else is out of date. The edit is over then, or, `untilAll`, once everything else has been fetched again.
 */
export async function answered(client: QueryClient, key: QueryKey, answer: unknown, untilAll = false): Promise<void> {
  await client.cancelQueries({ queryKey: key.slice(0, 1) });
  client.setQueryData(key, answer);
  const others = outdated(client, key[0]);
  if (untilAll) await others;
}

/**
 * After an edit, everything but what the edit answered with is out of date: what is on its way is dropped, since it may
 * tell of the time before the edit, also where a screen still waits for it; and what is on the screen is fetched again.
 */
export async function outdated(client: QueryClient, butFor?: unknown): Promise<void> {
  const others = { predicate: (query: { queryKey: readonly unknown[] }) => query.queryKey[0] !== butFor };
  await client.cancelQueries(others);
  await client.invalidateQueries(others);
}
