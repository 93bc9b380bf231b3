import type { MigrationDone } from "../../kit/migrations/migrations.ts";
import type { Finding } from "../../kit/migrations/script-runner.ts";
import type { Failure } from "../core/failure.ts";
import type { ConversionCounts } from "../core/tabular/conversion.ts";
import type { HostEvent } from "../io/host/published.ts";
import type { Death } from "../io/runner/supervised.ts";
import type { Built } from "./build/built.ts";
import type { Loaded } from "./import/loaded.ts";

/** What a flow tells while it works; the command line turns it into words. */
export type FlowEvent =
  /** How far the work is, from 0 to 1; or about how many milliseconds it takes. */
  | { kind: "working"; on: string; share?: number; about?: number }
  | { kind: "progress"; on: string; rows: number; share: number }
  | { kind: "prepared"; name: string; steps: string[] }
  | { kind: "applied"; name: string; findings: Finding[] }
  | ({ kind: "rewound" } & MigrationDone)
  | ({ kind: "imported"; name: string; entity: string } & ConversionCounts)
  | { kind: "set aside"; count: number; path: string }
  | ({ kind: "loaded" } & Loaded)
  | { kind: "kept rows"; folder: string }
  | { kind: "seeded"; entity: string; rows: number }
  | { kind: "seeded people"; people: number }
  | { kind: "unseeded"; error: Failure }
  | { kind: "written"; entity: string; rows: number }
  | ({ kind: "built" } & Built)
  | { kind: "serving"; address: string; wantedPort: number; port: number }
  | { kind: "welcome"; address: string }
  /** The groups of each of which one can sign in as a sample person. */
  | { kind: "sample people"; address: string; groups: string[] }
  | { kind: "restarted"; milliseconds: number }
  | ({ kind: "died" } & Death)
  | { kind: "watching"; file: string }
  /** A round of `rise` failed; whether the application of before runs still. */
  | { kind: "trouble"; error: unknown; runs: boolean }
  | { kind: "waiting"; changes: string[] }
  /** Files of a package that a host lacked, of all of them. */
  | { kind: "sent"; files: number; of: number; bytes: number }
  | { kind: "on host"; event: HostEvent }
  | { kind: "hosting"; address: string; folder: string; example: string }
  | { kind: "trouble on host"; text: string }
  | { kind: "stopped" };

export type { Finding, HostEvent };
export type Report = (event: FlowEvent) => void;
