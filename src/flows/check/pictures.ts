import { join } from "node:path";
import { parse } from "yaml";
import { nearest } from "../../../kit/formula/nearest.ts";
import type { Diagnostic } from "../../core/model/diagnostics.ts";
import type { Entity, Model, Picture } from "../../core/model/model.ts";
import { iconNamed, iconNames } from "../../io/package.ts";
import { isLarger, readBytes } from "../../io/project/files.ts";

/** The most bytes of a picture that every page carries. */
const largest = 300_000;

/** A model with the pictures that its settings name, read from beside it; or what is wrong with them. */
export function withPictures(
  model: Model,
  folder: string,
): { model: Model; diagnostics: Diagnostic[] } {
  const diagnostics: Diagnostic[] = [];
  const app = { ...model.app };
  for (const name of ["logo", "icon"] as const) {
    const picture = app[name];
    if (!picture) continue;
    const read = svgOf(picture, folder);
    if ("svg" in read) app[name] = { ...picture, svg: read.svg };
    else diagnostics.push({ severity: "error", at: picture.at, ...read });
  }
  const entities = model.entities.map((entity): Entity => {
    const { icon } = entity;
    if (!icon) return entity;
    const names = iconNames();
    if (names.includes(icon.name)) {
      return { ...entity, icon: { ...icon, svg: iconNamed(icon.name) } };
    }
    const close = nearest(icon.name, names);
    diagnostics.push({
      severity: "error",
      at: icon.at,
      message: `there is no icon \`${icon.name}\``,
      help: close ? `did you mean \`${close}\`?` : "the names are those of bootstrap-icons",
    });
    return entity;
  });
  return { model: { ...model, app, entities }, diagnostics };
}

/** The files of the pictures that a text of a model names, right or not; none where it can't be read. */
export function pictureFiles(text: string, folder: string): string[] {
  const { app } = readLoosely(text);
  const { logo, icon } = (app ?? {}) as Record<string, unknown>;
  return [logo, icon].flatMap((path) =>
    typeof path === "string" && /^[^\p{Cc}]{1,200}\.(svg|png)$/iu.test(path)
      ? [join(folder, path)]
      : [],
  );
}

function readLoosely(text: string): Record<string, unknown> {
  try {
    return (parse(text) ?? {}) as Record<string, unknown>;
  } catch {
    return {};
  }
}

/** A picture as SVG: other kinds stand in one. */
function svgOf(
  { path }: Picture,
  folder: string,
): { svg: string } | { message: string; help: string } {
  const file = join(folder, path);
  if (isLarger(file, largest)) {
    return { message: `\`${path}\` is larger than 300 kB`, help: "every page carries it" };
  }
  const content = readBytes(file);
  if (!content) {
    return { message: `there is no file \`${path}\``, help: "its path begins where the model is" };
  }
  if (/\.svg$/i.test(path)) {
    const text = content.toString("utf8");
    return /<svg[\s>]/.test(text) && !text.includes("\uFFFD")
      ? { svg: text }
      : { message: `\`${path}\` is no SVG picture`, help: "save it as SVG or PNG" };
  }
  // The size stands behind the signature and the name of the first part, IHDR.
  const isPng = content.subarray(0, 8).toString("latin1") === "\x89PNG\r\n\x1a\n";
  if (!isPng || content.length < 24) {
    return { message: `\`${path}\` is no PNG picture`, help: "save it as SVG or PNG" };
  }
  const [width, height] = [content.readUInt32BE(16), content.readUInt32BE(20)];
  const data = content.toString("base64");
  return {
    svg: `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 ${width} ${height}"><image width="${width}" height="${height}" href="data:image/png;base64,${data}"/></svg>\n`,
  };
}
