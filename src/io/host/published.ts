import * as z from "zod";

/** A name of an application on a host: a label of a host name. Two hyphens are for previews. */
export const nameShape = z
  .string()
  .regex(/^[a-z][a-z0-9]*(-[a-z0-9]+)*$/)
  .max(30);

const control = /[\p{Cc}\\]/u;

/** A path within a package. */
const pathShape = z
  .string()
  .min(1)
  .max(400)
  .refine(
    (path) =>
      !control.test(path) &&
      path.split("/").every((part) => part !== "" && part !== "." && part !== ".."),
  );

const digestShape = z.string().regex(/^[0-9a-f]{64}$/);

/** A file of a package; its digest is SHA-256. */
export const packageFileShape = z.object({
  path: pathShape,
  digest: digestShape,
  size: z.number().int().min(0).max(500_000_000),
});

/** A migration of a package, and whether the version before can run on the database once it is applied. */
export const packageMigrationShape = z.object({
  name: z.string().regex(/^\d{4}-[^\p{Cc}/\\]{1,200}$/u),
  fits: z.boolean(),
});

/** An application as it is published. */
export const packageShape = z.object({
  title: z.string().min(1).max(200),
  database: z.enum(["sqlite", "postgres", "mariadb"]),
  signsIn: z.boolean(),
  /** What its packages with binaries are for, such as `linux-x64-glibc`. */
  platform: z.string().max(60),
  levadura: z.string().max(40),
  migrations: z.array(packageMigrationShape).max(9999),
  files: z
    .array(packageFileShape)
    .max(20_000)
    .refine((files) => new Set(files.map(({ path }) => path)).size === files.length)
    .refine((files) => files.reduce((sum, { size }) => sum + size, 0) <= 2_000_000_000),
});

export type Package = z.infer<typeof packageShape>;
export type PackageFile = z.infer<typeof packageFileShape>;

/** What is asked of a host with a package. */
export const publishShape = z.object({
  package: packageShape,
  /** Whether whoever reaches the application may do everything, where nobody signs in. */
  open: z.boolean().default(false),
  /** The name of the first administrator. */
  administrator: z.string().min(1).max(100).optional(),
  preview: z
    .object({ rows: z.enum(["sample", "copy"]), days: z.number().int().min(1).max(90) })
    .optional(),
});

export type PublishRequest = z.infer<typeof publishShape>;

/** The same with the name that the application has there. */
export const uploadShape = publishShape.extend({ name: nameShape });

/** What somebody signs in with: the challenge, the origin for which it was signed, and the signature. */
export const signInShape = z.object({
  challenge: z.string().max(200),
  origin: z.string().max(300),
  signature: z.string().max(10_000),
});

export const rollbackShape = z.object({
  /** The version to go back to; otherwise the one before. */
  to: z.number().int().min(1).optional(),
  /** Whether the data goes back as well, to the backup from before the version that runs. */
  data: z.boolean().default(false),
});

/** The name of a secret: one of a variable of the environment that is none of the host's. */
export const secretShape = z.object({
  name: z
    .string()
    .regex(/^[A-Z][A-Z0-9_]{0,60}$/)
    .refine((name) => !ownVariables.has(name)),
  /** Null takes it away. */
  value: z.string().min(1).max(10_000).nullable(),
});

/** Variables that a host sets itself. */
export const ownVariables: ReadonlySet<string> = new Set([
  "HOST",
  "PORT",
  "PATH",
  "HOME",
  "NODE_ENV",
  "NODE_OPTIONS",
  "KEPT_FOLDER",
  "PUBLIC_ADDRESS",
  "HOST_NAMES",
  "TRUST_FORWARDED",
  "OPEN_TO_EVERYONE",
  "FIRST_ADMINISTRATOR",
  "DEVELOPMENT_NOTES",
  "LD_PRELOAD",
  "LD_LIBRARY_PATH",
]);

const versionShape = z.object({
  number: z.number().int(),
  at: z.string(),
  by: z.string(),
  migrations: z.array(z.string()),
  /** The version that ran before it, and the backup of the data on which that ran. */
  before: z.number().int().optional(),
  backup: z.string().optional(),
});

/** An application on a host, as the host remembers it. */
export const recordShape = z.object({
  name: z.string(),
  title: z.string(),
  database: packageShape.shape.database,
  /** The numbers of the account that it runs as; undefined where all run as the host's. */
  account: z.number().int().optional(),
  open: z.boolean(),
  /** Whether the host made its database; otherwise somebody gave the address of one. */
  ownDatabase: z.boolean(),
  current: z.number().int().optional(),
  versions: z.array(versionShape),
  /** A version that is just being published, and the migration that was the newest before; `0` is none. */
  publishing: z.object({ number: z.number().int(), since: z.string() }).optional(),
  preview: z
    .object({
      of: z.string(),
      rows: z.enum(["sample", "copy"]),
      until: z.string(),
      /** Of the password, SHA-256. */
      digest: z.string(),
    })
    .optional(),
});

export type HostedRecord = z.infer<typeof recordShape>;
export type HostedVersion = z.infer<typeof versionShape>;

/** How an application on a host is. */
export const statusShape = z.object({
  name: z.string(),
  title: z.string(),
  address: z.string(),
  state: z.enum(["runs", "starts", "failed", "unpublished"]),
  database: packageShape.shape.database,
  current: z.number().optional(),
  versions: z.array(versionShape),
  backups: z.array(z.object({ name: z.string(), bytes: z.number() })),
  secrets: z.array(z.string()),
  previews: z.array(
    z.object({ name: z.string(), address: z.string(), rows: z.string(), until: z.string() }),
  ),
  restarts: z.number(),
});

export type HostedStatus = z.infer<typeof statusShape>;

/** What a host tells while it works, a line of JSON each. */
export const hostEventShape = z.discriminatedUnion("kind", [
  z.object({ kind: z.literal("working"), on: z.string(), share: z.number().optional() }),
  z.object({ kind: z.literal("backed up"), name: z.string(), bytes: z.number() }),
  z.object({ kind: z.literal("migrated"), text: z.string() }),
  /** What could wait and wasn't done: the new version runs without it. */
  z.object({ kind: z.literal("left"), text: z.string() }),
  z.object({ kind: z.literal("waited"), milliseconds: z.number() }),
  z.object({
    kind: z.literal("done"),
    number: z.number(),
    address: z.string(),
    welcome: z.string().optional(),
    password: z.string().optional(),
    until: z.string().optional(),
  }),
  z.object({
    kind: z.literal("failed"),
    code: z.enum(["input", "usage", "outside"]),
    message: z.string(),
    help: z.string().optional(),
  }),
]);

export type HostEvent = z.infer<typeof hostEventShape>;
