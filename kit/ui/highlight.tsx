import type { Scope } from "../access/scope.ts";
import type { Highlight } from "../entity/entity.ts";

/** Says why a row stands out: a sign to point at, and the sentence for those who don't see colours. */
export function HighlightNote({
  scope,
  highlight,
}: {
  scope: Scope;
  highlight: Highlight | undefined;
}) {
  if (!highlight) return null;
  const sentence = scope.translated(highlight.sentence);
  return (
    <span class="highlight-note" title={sentence}>
      <span aria-hidden="true">●</span>
      <span class="visually-hidden">{sentence}</span>
    </span>
  );
}
