import type { FeatureCode } from "./feature.ts";

/** Putting records in order, where the model says that people do; it has no code of its own in an entity. */
export const orderCode: FeatureCode = {
  made: (module, { entity, camel, file }) =>
    entity.byHand
      ? `${module.use("order", "../../kit/features/order/order.tsx")}(${module.use(`${camel}Entity`, `./${file}.ts`)})`
      : undefined,
};
