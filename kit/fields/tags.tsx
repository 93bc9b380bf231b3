import { type Field, type FieldOptions, type FieldType, isBlank } from "./field.ts";
import { textType } from "./text.ts";

/** The most tags of a record, and the most characters of one, and of all together. */
const most = { tags: 30, tag: 40, text: 1000 } as const;

/** What stands between tags. */
export const betweenTags = ", ";

/** Any number of short words, kept as a text with commas between: `gentle, by the road`. */
export function tags({ label }: Pick<FieldOptions<string>, "label">): Field<string> {
  return {
    kind: "tags",
    label,
    required: true,
    attributes: () => ({ required: true, maxlength: most.text }),
    read: ([text = ""], { messages }) => {
      if (text.length > 4 * most.text) return { error: messages.tooLong };
      if (isBlank(text)) return { error: tagsType.blank(messages) };
      const found = tagsIn(text);
      if (found.length === 0) return { error: tagsType.blank(messages) };
      if (found.length > most.tags) return { error: messages.tags.atMost(most.tags) };
      const long = found.find((tag) => [...tag].length > most.tag);
      if (long !== undefined) return { error: messages.tags.tooLong(most.tag) };
      const whole = found.join(betweenTags);
      if ([...whole].length > most.text) return { error: messages.tooLong };
      if (/[\p{Cc}\p{Cs}]/u.test(whole)) return { error: messages.unstorable };
      return { value: whole };
    },
    write: (value) => value,
  };
}

/** The tags in a text: each once, whatever the case of its letters. */
export function tagsIn(text: string): string[] {
  const found = new Map<string, string>();
  for (const part of text.split(/[,;\n]/)) {
    const tag = part.normalize("NFC").replace(/\s+/g, " ").trim();
    const key = tag.toLowerCase();
    if (tag !== "" && !found.has(key)) found.set(key, tag);
  }
  return [...found.values()];
}

export const tagsType: FieldType = {
  ...textType,
  sortable: false,
  leads: false,
  filter: "tags",
  show: (value) =>
    value === null ? null : (
      <span class="tags">
        {tagsIn(value as string).map((tag, at) => (
          <>
            {at > 0 && " "}
            <span class="tag">{tag}</span>
          </>
        ))}
      </span>
    ),
};
