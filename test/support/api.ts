import type { Visitor } from "./visitor.ts";

/** What came back for a request of a program. */
export interface ApiAnswer {
  status: number;
  // biome-ignore lint/suspicious/noExplicitAny: the tests say what they expect
  body: any;
  headers: Headers;
}

/** Sends requests as a program does. */
export type Ask = (
  method: string,
  path: string,
  body?: unknown,
  headers?: Record<string, string>,
) => Promise<ApiAnswer>;

/** Asks an application at an address, with some headers in every request. */
export function asking(base: string, always: Record<string, string> = {}): Ask {
  return async (method, path, body, more = {}) => {
    const isRaw = body === undefined || typeof body === "string" || body instanceof Uint8Array;
    const type: Record<string, string> = isRaw ? {} : { "content-type": "application/json" };
    const answer = await fetch(base + path, {
      method,
      headers: { ...always, ...type, ...more },
      redirect: "manual",
      ...(body !== undefined && { body: isRaw ? (body as string) : JSON.stringify(body) }),
    });
    const text = await answer.text();
    const isJson = /[/+]json$/.test(answer.headers.get("content-type") ?? "");
    const { status, headers } = answer;
    return { status, headers, body: isJson ? JSON.parse(text) : text };
  };
}

/** Makes a token on the page for it; `may` are the boxes that are ticked, such as `hive see`. */
export async function tokenOf(
  visitor: Visitor,
  name: string,
  { may, days = "" }: { may?: readonly string[]; days?: string } = {},
): Promise<string> {
  const boxes = Object.fromEntries((may ?? []).map((each) => [each, "on"]));
  const scope = may ? "narrowed" : "whole";
  const { html } = await visitor.post("/-/account/tokens", { name, days, scope, ...boxes });
  const [, token = ""] = /<code[^>]*>(levadura_[\w-]{43})<\/code>/.exec(html) ?? [];
  if (token === "") throw new Error(`no token was made:\n${html}`);
  return token;
}

/** The header by which a program signs in. */
export function bearer(token: string): Record<string, string> {
  return { authorization: `Bearer ${token}` };
}

/** The part of a JSON Schema that descriptions of the kit use. */
export interface Shape {
  type?: string;
  enum?: readonly string[];
  anyOf?: readonly Shape[];
  format?: string;
  pattern?: string;
  minLength?: number;
  maxLength?: number;
  minimum?: number;
  maximum?: number;
  multipleOf?: number;
  minItems?: number;
  maxItems?: number;
  items?: Shape;
}

/** Values at the edges of what a shape allows, and just beyond; `known` are texts that fit patterns. */
export function edgesOf(
  shape: Shape,
  known: readonly string[],
): { allowed: unknown[]; forbidden: unknown[] } {
  if (shape.anyOf) {
    const parts = shape.anyOf.map((each) => edgesOf(each, known));
    const allowed = parts.flatMap((part) => part.allowed);
    const forbidden = parts.flatMap((part) => part.forbidden);
    return { allowed, forbidden: forbidden.filter((each) => !allowed.includes(each)) };
  }
  if (shape.enum) return { allowed: [...shape.enum], forbidden: ["no such choice", 1, null] };
  switch (shape.type) {
    case "null":
      return { allowed: [null], forbidden: [] };
    case "boolean":
      return { allowed: [true, false], forbidden: ["true", 1, null] };
    case "array":
      return listEdges(shape, known);
    case "integer":
    case "number":
      return numberEdges(shape);
    default:
      return textEdges(shape, known);
  }
}

function numberEdges({ type, minimum, maximum, multipleOf }: Shape) {
  const step = type === "integer" ? 1 : (multipleOf ?? 1);
  const ends = [minimum, maximum].filter((end) => end !== undefined);
  const within = minimum ?? (maximum === undefined ? 7 : maximum - 7);
  return {
    allowed: [...ends, within],
    forbidden: [
      ...(minimum === undefined ? [] : [minimum - 1]),
      ...(maximum === undefined ? [] : [maximum + 1]),
      within + step / 2,
      String(within),
      true,
      null,
    ],
  };
}

function textEdges({ format, pattern, minLength, maxLength }: Shape, known: readonly string[]) {
  const forbidden: unknown[] = [5, false, null, [], ""];
  if (format === "date")
    return { allowed: ["2024-02-29"], forbidden: [...forbidden, "2023-02-29", "1/2/2024"] };
  if (format === "date-time") {
    const allowed = ["2026-05-03T07:30:15Z", "2026-05-03T09:30:15+02:00"];
    return { allowed, forbidden: [...forbidden, "2026-05-03 07:30", "2026-05-03"] };
  }
  if (format || (pattern && pattern !== "\\S")) {
    return { allowed: [...known], forbidden: [...forbidden, "no such form"] };
  }
  const least = minLength ?? 1;
  return {
    allowed: ["é".repeat(least), ...(maxLength ? ["🐝".repeat(maxLength)] : [])],
    forbidden: [
      ...forbidden,
      "   ",
      ...(least > 1 ? ["x".repeat(least - 1)] : []),
      ...(maxLength ? ["x".repeat(maxLength + 1)] : []),
    ],
  };
}

function listEdges({ items = {}, minItems = 0, maxItems = 0 }: Shape, known: readonly string[]) {
  const [one] = items.type === "integer" ? [1] : known;
  const many = Array.from({ length: maxItems + 1 }, (_, at) => `${one}${at}`);
  return {
    allowed: [...(one === undefined ? [] : [[one]]), ...(minItems === 0 ? [[]] : [])],
    forbidden: [
      "no list",
      null,
      [{}],
      ...(minItems > 0 ? [[]] : []),
      ...(items.type === "integer" || maxItems > 1000 ? [] : [many]),
    ],
  };
}
