import type { Model } from "../../model/model.ts";
import type { Module } from "../module.ts";
import type { Subject } from "../subject.ts";

/** How the code of an entity has a feature of the kit. */
export interface FeatureCode {
  /** The file that the feature has in the folder of each entity: its end, and its text. */
  file?: { end: string; text(model: Model, subject: Subject): string };
  /** The expression that makes the feature, in `hive.features.ts`; undefined where an entity doesn't have it. */
  made(module: Module, subject: Subject): string | undefined;
}
