import createClient from "openapi-fetch";
import type { components, paths } from "./schema";

export type Schemas = components["schemas"];
export type Tonight = Schemas["Tonight"];
export type CarTonight = Schemas["CarTonight"];
export type SessionOut = Schemas["SessionOut"];
export type EveningEdit = Schemas["EveningEdit"];
export type WholeHousehold = Schemas["WholeHousehold"];
export type Problem = Schemas["Problem"];
export type Who = Schemas["Who"];

/** An answer that is not the one asked for, in the API's one error shape. */
export class ApiError extends Error {
  constructor(
    readonly status: number,
    readonly problem: Problem,
  ) {
    super(problem.message);
  }

  /** What was expected at each field; a mistake deep in the document is told at its last key. */
  get byField(): Record<string, string> {
    return Object.fromEntries(this.problem.mistakes.map((m) => [m.field.split(".").at(-1) ?? m.field, m.expected]));
  }

  /** What was expected, by the whole path: for lists, of which each entry has its own. */
  get byPath(): Record<string, string> {
    return Object.fromEntries(this.problem.mistakes.map((m) => [m.field, m.expected]));
  }
}

function csrfToken(): string {
  return /(?:^|; )csrftoken=([^;]+)/.exec(document.cookie)?.[1] ?? "";
}

/** This open page, by a name of its own: an edit goes on from what the page did itself, and only others' are asked about. */
const OPEN_PAGE = Array.from(crypto.getRandomValues(new Uint8Array(12)), (byte) => byte.toString(16)).join("");

export const api = createClient<paths>({ baseUrl: "/" });
api.use({
  onRequest({ request }) {
    if (request.method !== "GET") request.headers.set("X-CSRFToken", csrfToken());
    request.headers.set("X-Open-Page", OPEN_PAGE);
    return request;
  },
});

/** The data of an answer, or an ApiError. */
export async function told<T>(answer: Promise<{ data?: T; error?: unknown; response: Response }>): Promise<T> {
  const { data, error, response } = await answer.catch(() => {
    throw new Error("The server does not answer. Try again.");
  });
  if (data !== undefined) return data;
  const problem = error as Problem | undefined;
  throw new ApiError(
    response.status,
    problem?.code ? problem : { code: "failed", message: "The server could not answer. Try again.", mistakes: [] },
  );
}
