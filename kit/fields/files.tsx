import { filesIn, heldFiles, isKey, isPicture, type StoredFile } from "../files/stored-file.ts";
import { type FieldProps, GroupFrame, invalidClass } from "../ui/field-frame.tsx";
import { attributesOf, fieldOf, labelOf } from "../ui/form.ts";
import type { Field, FieldOptions, FieldScope, FieldType } from "./field.ts";

/** How many files a field may have, and how large each, in bytes. */
export interface FileLimits {
  min?: number;
  max?: number;
  size: number;
}

/** A field that has files: what is typed into it are their keys, and its column has all that is known of them. */
export interface FilesField extends Field<string> {
  readonly kind: "image" | "file";
  readonly most: number;
  readonly size: number;
}

/** A picture, or several. */
export function image(options: Pick<FieldOptions<string>, "label"> & FileLimits): FilesField {
  return filesField("image", options);
}

/** A file of any kind, or several. */
export function file(options: Pick<FieldOptions<string>, "label"> & FileLimits): FilesField {
  return filesField("file", options);
}

function filesField(
  kind: FilesField["kind"],
  {
    label,
    min = 1,
    max = Math.max(1, min),
    size,
  }: Pick<FieldOptions<string>, "label"> & FileLimits,
): FilesField {
  return {
    kind,
    label,
    most: max,
    size,
    required: true,
    attributes: () => ({ required: true, ...(max > 1 && { multiple: true }) }),
    read: (typed, { messages }) => {
      const keys = [...new Set(typed.flatMap((text) => text.split(" ")).filter(Boolean))];
      if (!keys.every(isKey)) return { error: messages.files.gone };
      if (keys.length === 0) return { error: filesType.blank(messages) };
      if (keys.length > max) return { error: messages.files.atMost(max) };
      if (keys.length < min) return { error: messages.files.atLeast(min) };
      return { value: heldFiles(keys.map((key) => ({ key }))) ?? "" };
    },
    write: (held) =>
      filesIn(held)
        .map(({ key }) => key)
        .join(" "),
  };
}

export function isFiles(field: Field): field is FilesField {
  return field.kind === "image" || field.kind === "file";
}

/** What the files in a column are called, in one text. */
export function fileNames(held: unknown): string {
  return filesIn(held)
    .map(({ name }) => name)
    .join("; ");
}

export const filesType: FieldType = {
  numeric: false,
  textual: false,
  searched: false,
  sortable: false,
  leads: false,
  filter: "presence",
  blank: ({ files }) => files.choose,
  show: (value, _field, scope, at) => {
    const files = filesIn(value);
    return files.length === 0 ? null : <Files scope={scope} files={files} at={at} />;
  },
};

/** Files as links, pictures as small ones of them; their names alone where no address leads to them. */
function Files({
  scope,
  files,
  at,
}: {
  scope: FieldScope;
  files: readonly StoredFile[];
  at: string | undefined;
}) {
  if (at === undefined) return <>{files.map(({ name }) => name).join("; ")}</>;
  return (
    <span class="files">
      {files.map((file) => (
        <FileLink scope={scope} file={file} at={at} />
      ))}
    </span>
  );
}

function FileLink({ scope, file, at }: { scope: FieldScope; file: StoredFile; at: string }) {
  const href = `${at}/${file.key}`;
  if (isPicture(file)) {
    return (
      <a class="picture" href={`${href}?as=large`}>
        <SmallPicture file={file} href={href} />
      </a>
    );
  }
  return (
    <a class="file" href={href}>
      {file.name} <span class="soft">{scope.format.size(file.bytes)}</span>
    </a>
  );
}

/** The longer side of a small picture, in pixels. */
const small = 320;

function SmallPicture({ file, href }: { file: StoredFile; href: string }) {
  const { width = small, height = small } = file;
  const scale = Math.min(1, small / Math.max(width, height));
  return (
    <img
      src={`${href}?as=small`}
      alt={file.name}
      width={Math.max(1, Math.round(width * scale))}
      height={Math.max(1, Math.round(height * scale))}
      loading="lazy"
    />
  );
}

/** The files that are there, each with a box that keeps it, and an input for more. */
export function FilesInput({ form, name, hint: own }: FieldProps) {
  const { scope, files = new Map<string, StoredFile>() } = form;
  const field = fieldOf(form, name) as FilesField;
  const { messages, format } = scope;
  const { files: words } = messages;
  const limit = words.limit(format.size(field.size), field.most);
  const hint = [own, limit].filter(Boolean).join(" · ");
  const keys = (form.values.get(name) ?? []).flatMap((text) => text.split(" "));
  const kept = keys.flatMap((key) => files.get(key) ?? []);
  const { required } = attributesOf(form, name);
  return (
    <GroupFrame
      form={form}
      name={name}
      hint={hint}
      attributes={{
        class: "files-field",
        "data-most": field.most,
        "data-size": field.size,
        "data-too-large": words.tooLarge(format.size(field.size)),
        "data-too-many": words.atMost(field.most),
        "data-remove": words.remove,
        "data-required": required ? "yes" : "no",
      }}
    >
      {kept.length > 0 && (
        <ul class="kept-files">
          {kept.map((file) => (
            <li>
              {isPicture(file) && <SmallPicture file={file} href={fileAddress(form, name, file)} />}
              <span class="form-check">
                <input
                  class="form-check-input"
                  type="checkbox"
                  id={`keep-${name}-${file.key}`}
                  name={name}
                  value={file.key}
                  checked
                />
                <label class="form-check-label" for={`keep-${name}-${file.key}`}>
                  {words.keep} <span class="file-name">{file.name}</span>{" "}
                  <span class="soft">{format.size(file.bytes)}</span>
                </label>
              </span>
            </li>
          ))}
        </ul>
      )}
      <input
        type="file"
        id={`field-${name}`}
        name={name}
        class={`form-control${invalidClass(form, name)}`}
        aria-label={
          field.most > 1 ? words.addTo(labelOf(form, name)) : words.chooseFor(labelOf(form, name))
        }
        accept={field.kind === "image" ? "image/*" : undefined}
        multiple={field.most > 1}
        required={required && kept.length === 0}
      />
      <ul class="chosen-files" aria-live="polite" />
    </GroupFrame>
  );
}

/** Where whoever sent a file sees it before a record is saved with it. */
export const uploadedAt = "/-/sent-files";

/** Where whoever fills in a form sees a file in it: with its record, or as they sent it just now. */
function fileAddress(
  { record, copyOf, entity }: FieldProps["form"],
  name: string,
  { key }: StoredFile,
): string {
  const saved = record ?? copyOf;
  const isSaved = saved && filesIn(saved[name]).some((file) => file.key === key);
  return isSaved
    ? `${encodeURI(entity.path)}/${saved.id}/files/${name}/${key}`
    : `${uploadedAt}/${key}`;
}
