import * as z from "zod";

/** A report as it is answered. */
export const reportShape = z.object({
  dimensions: z.array(z.string()),
  across: z.string().nullable(),
  figures: z.array(z.string()),
  columns: z.array(z.object({ label: z.string().nullable(), figures: z.array(z.int()) })),
  lines: z.array(
    z.object({
      depth: z.int(),
      label: z.string(),
      keys: z.array(z.string().nullable()),
      isWhole: z.boolean(),
      values: z.array(z.array(z.union([z.number(), z.string(), z.null()]))),
    }),
  ),
});

/** The history of a record as it is answered. */
export const historyShape = z.object({
  entries: z.array(
    z.object({
      at: z.string(),
      who: z.string().nullable(),
      action: z.string(),
      changes: z.record(z.string(), z.unknown()),
    }),
  ),
  total: z.int(),
  page: z.int(),
  pages: z.int(),
});

/** Problem details (RFC 9457). */
export const problemShape = z.object({
  type: z.string(),
  title: z.string(),
  status: z.int(),
  detail: z.string(),
  errors: z
    .array(
      z.object({
        pointer: z.string().optional(),
        parameter: z.string().optional(),
        detail: z.string(),
      }),
    )
    .optional(),
});
