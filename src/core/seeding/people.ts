import { slugOf } from "../naming/words.ts";
import { longestShuffle, Shuffle } from "./random.ts";
import type { Vocabulary } from "./vocabulary.ts";

/** People, each once until all names of the language were taken. */
export class People {
  readonly #lists: readonly (readonly string[])[];
  readonly #slugs: string[][];
  readonly #shuffle: Shuffle;

  constructor(vocabulary: Vocabulary, ...key: readonly (string | number)[]) {
    this.#lists = [vocabulary.given, ...vocabulary.family];
    this.#slugs = this.#lists.map(() => []);
    const size = this.#lists.reduce((product, { length }) => product * length, 1);
    this.#shuffle = new Shuffle(Math.min(size, longestShuffle), ...key);
  }

  /** Given and family names, and the additions that distinguish equal names. */
  at(index: number): { given: string; family: string; apart: string } {
    const [given = 0, ...family] = this.#places(index);
    const again = Math.floor(index / this.#shuffle.size);
    return {
      given: this.#lists[0]?.[given] ?? "",
      family: family.map((place, list) => this.#lists[list + 1]?.[place]).join(" "),
      apart: again === 0 ? "" : `${again + 1}`,
    };
  }

  /** The beginning of an address: `ana.ruiz`. */
  address(index: number): string {
    const [given = 0, family = 0] = this.#places(index);
    return `${this.#slug(0, given)}.${this.#slug(1, family)}`;
  }

  #slug(list: number, place: number): string {
    const slugs = this.#slugs[list] ?? [];
    slugs[place] ??= slugOf(this.#lists[list]?.[place] ?? "");
    return slugs[place];
  }

  #places(index: number): number[] {
    let rest = this.#shuffle.at(index % this.#shuffle.size);
    return this.#lists.map(({ length }) => {
      const place = rest % length;
      rest = Math.floor(rest / length);
      return place;
    });
  }
}
