import { hashOf } from "../tabular/distinct.ts";

/**
 * Keys that rows have already. A checksum of each is kept in eight bytes, so that a million of them take little
 * room; where one is taken for another, a row only gets another value.
 */
export class SeenKeys {
  #sums = new Float64Array(1024);
  #count = 0;

  has(key: string): boolean {
    return this.#sums[this.#placeOf(sumOf(key))] !== 0;
  }

  add(key: string): void {
    const sum = sumOf(key);
    const place = this.#placeOf(sum);
    if (this.#sums[place] === 0) this.#count++;
    this.#sums[place] = sum;
    if (this.#count * 2 > this.#sums.length) this.#grow();
  }

  #placeOf(sum: number): number {
    const mask = this.#sums.length - 1;
    let place = (sum % 0x7fffffff) & mask;
    while (this.#sums[place] !== 0 && this.#sums[place] !== sum) place = (place + 1) & mask;
    return place;
  }

  #grow(): void {
    const before = this.#sums;
    this.#sums = new Float64Array(before.length * 2);
    for (const sum of before) if (sum !== 0) this.#sums[this.#placeOf(sum)] = sum;
  }
}

/** Zero marks a place that is free. */
function sumOf(key: string): number {
  return hashOf(key) || 1;
}
