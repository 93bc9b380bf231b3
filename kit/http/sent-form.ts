import type { Context } from "hono";
import { HTTPException } from "hono/http-exception";
import { type Submission, submissionOf } from "../store/submissions.ts";

/** What a form carries, in either of the ways in which browsers send one. */
export type SentForm = FormData | URLSearchParams;

/** The most fields that a form may have; a lookup of thousands of boxes is well below. */
const mostFields = 10_000;

/** The form that a request carries. Its fields are counted before any of them is read. */
export async function sentForm(c: Context): Promise<SentForm> {
  const type = c.req.header("content-type") ?? "";
  const text = await c.req.text();
  if (!/^multipart\//i.test(type)) {
    if (countOf("&", text) > mostFields) throw new HTTPException(413);
    return new URLSearchParams(text);
  }
  // Each part of the form begins with its boundary.
  const [, boundary = ""] = /boundary="?([^";\s]{1,70})/i.exec(type) ?? [];
  if (boundary === "") throw new HTTPException(400);
  if (countOf(`--${boundary}`, text) > mostFields) throw new HTTPException(413);
  try {
    return await c.req.formData();
  } catch (error) {
    throw new HTTPException(400, { cause: error });
  }
}

function countOf(mark: string, text: string): number {
  let found = 0;
  for (let at = text.indexOf(mark); at >= 0; at = text.indexOf(mark, at + mark.length)) found++;
  return found;
}

/** A text that a form carries besides its fields; blank where it has none. */
export function sentText(data: SentForm, name: string): string {
  const value = data.get(name);
  return typeof value === "string" ? value : "";
}

/** The version that a form was made of; undefined where it says none that can be. */
export function sentVersion(data: SentForm): number | undefined {
  const text = sentText(data, "_version");
  return /^\d{1,15}$/.test(text) ? Number(text) : undefined;
}

/** A form that was sent, by its token and all that is in it; of files, by the digests of what their keys stand for. */
export function sentSubmission(
  c: Context,
  data: SentForm,
  digests: ReadonlyMap<string, string> = new Map(),
): Submission {
  const fields = [...data].flatMap(([name, value]) =>
    typeof value === "string" ? [[name, digests.get(value) ?? value]] : [],
  );
  return submissionOf(data.get("_token"), [c.req.path, fields]);
}
