import { visible } from "../core/naming/characters.ts";

/** What our own words are coloured with, and nothing else that begins with an escape character. */
// biome-ignore lint/suspicious/noControlCharactersInRegex: the colours of a terminal begin with one
const colours = /(\x1b\[\d{1,2}m)/;

/**
 * Data as a terminal may show it: in all texts, what can't be seen is shown as its code. A header of a sheet, a
 * file's name or a message of a database may hold anything.
 */
export function shown<Data>(data: Data): Data {
  return map(data) as Data;
}

function map(data: unknown): unknown {
  if (typeof data === "string") return visible(data);
  if (Array.isArray(data)) return data.map(map);
  if (data instanceof Map) return new Map([...data].map(([key, value]) => [map(key), map(value)]));
  if (data instanceof Set) return new Set([...data].map(map));
  if (typeof data !== "object" || data === null) return data;
  if (Object.getPrototypeOf(data) !== Object.prototype) return data;
  return Object.fromEntries(Object.entries(data).map(([key, value]) => [key, map(value)]));
}

/** Writes lines to a terminal, or wherever the stream leads. Only colours pass as they are. */
export function write(stream: NodeJS.WriteStream, text: string): void {
  const safe = text.split(colours).map((part, at) => (at % 2 === 1 ? part : visible(part)));
  stream.write(safe.join(""));
}
