// Tags are completed while they are typed, by those that other records have.
import { everywhere } from "./added-rows.ts";
import { complete } from "./completion.ts";

everywhere<HTMLElement>("[data-tags]", (field) => {
  const input = field.querySelector<HTMLInputElement>("input");
  const { tags: address = "" } = field.dataset;
  if (input) {
    complete(input, {
      partAt: tagAt,
      find: (text) => offered(address, text, input.value),
      written: ({ text }) => `${text}, `,
    });
  }
});

/** The tag before the caret, and where it is. */
function tagAt({ value, selectionStart }: HTMLInputElement) {
  const end = selectionStart ?? value.length;
  const [text = ""] = /[^,;\s][^,;]*$/.exec(value.slice(0, end)) ?? [];
  return { text, start: end - text.length, end };
}

async function offered(address: string, typed: string, value: string) {
  const query = new URLSearchParams({ typed });
  const answer = await fetch(`${address}?${query}`).catch(() => undefined);
  if (!answer?.ok) return [];
  const { tags }: { tags: string[] } = await answer.json();
  const there = new Set(value.split(/[,;]/).map((tag) => tag.trim().toLowerCase()));
  return tags.filter((tag) => !there.has(tag.toLowerCase())).map((text) => ({ text }));
}
