import { Readable } from "node:stream";
import type { ReadableStream } from "node:stream/web";
import type { Context } from "hono";
import { HTTPException } from "hono/http-exception";

/** The most bytes of a text in a form, and how many fields it may have. */
const mostText = 2 * 1024 * 1024;
const mostFields = 10_000;

/** Takes a file of a field, and gives the text that stands for it in the form; undefined where there is none. */
export type TakeFile = (
  field: string,
  content: Readable,
  name: string,
) => Promise<string | undefined>;

/**
 * The form that a request carries, each of its files taken as it comes, so that none is in memory as a whole. A field without
 * a file isn't there. A request that breaks off is an error 400; too many fields or files are an error 413.
 */
export async function sentFormWithFiles(
  c: Context,
  mostFiles: number,
  take: TakeFile,
): Promise<FormData> {
  const { body } = c.req.raw;
  if (!body) throw new HTTPException(400);
  const { default: busboy } = await import("busboy");
  const data = new FormData();
  const taking: Promise<{ name: string; text: string | undefined }>[] = [];
  let tooMuch = false;
  const read = new Promise<void>((resolve, reject) => {
    const parser = busboy({
      headers: { "content-type": c.req.header("content-type") ?? "" },
      defParamCharset: "utf8",
      limits: { fieldSize: mostText, fields: mostFields, files: mostFiles, parts: mostFields },
    });
    parser.on("field", (name, text, { nameTruncated, valueTruncated }) => {
      if (nameTruncated || valueTruncated) tooMuch = true;
      data.append(name, text);
    });
    parser.on("file", (name, content, { filename }) => {
      // Browsers send an empty file without a name where none was chosen.
      if (!filename) {
        content.resume();
        return;
      }
      const taken = take(name, content, filename).then((text) => ({ name, text }));
      // What breaks off is told once, by the parser.
      taken.catch(() => content.resume());
      taking.push(taken);
    });
    const end = () => {
      tooMuch = true;
    };
    parser.on("fieldsLimit", end).on("filesLimit", end).on("partsLimit", end);
    parser.on("error", reject);
    parser.on("close", resolve);
    const sent = Readable.fromWeb(body as ReadableStream);
    sent.on("error", (error) => {
      parser.destroy(error);
      reject(error);
    });
    sent.pipe(parser);
  });
  try {
    await read;
  } catch (error) {
    await Promise.allSettled(taking);
    if (error instanceof HTTPException) throw error;
    throw new HTTPException(400, { cause: error });
  }
  // In the order in which they were sent, whichever was ready first.
  for (const { name, text } of await Promise.all(taking)) {
    if (text !== undefined) data.append(name, text);
  }
  if (tooMuch) throw new HTTPException(413);
  return data;
}
