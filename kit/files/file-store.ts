import type { Readable } from "node:stream";

/** The sizes in which a picture is kept beside its original. */
export const pictureSizes = { small: 320, large: 1600 } as const;

export type PictureSize = keyof typeof pictureSizes;

/** Something in a store: `0f3a…`, or `0f3a….small` for a smaller picture of it. */
export interface Kept {
  name: string;
  bytes: number;
  /** When it was put there, in milliseconds since 1970. */
  at: number;
}

/** Where the content of files is. Names are keys of our own, so that no name of others becomes a path. */
export interface FileStore {
  /** What messages call it, without its secrets. */
  readonly place: string;
  /** Takes the content of a file on this machine; when it returns, the whole of it is kept. */
  put(name: string, path: string, type: string): Promise<void>;
  /** Undefined where there is none of the name. */
  read(name: string): Promise<{ content: Readable; bytes: number } | undefined>;
  /** Removes what is there of the names. */
  remove(names: readonly string[]): Promise<void>;
  list(): AsyncIterable<Kept>;
}

/** The file store can't be reached, or is full. */
export class FileStoreTrouble extends Error {
  constructor(place: string, cause: unknown) {
    super(
      `the files in ${place} can't be reached: ${cause instanceof Error ? cause.message : cause}`,
      {
        cause,
      },
    );
  }
}
