import type { Scope } from "../access/scope.ts";
import { type Entity, isReference } from "../entity/entity.ts";

/** What to do where there are no records at all: what can be added, first that which the others need. */
export function FirstSteps({ scope }: { scope: Scope }) {
  const { messages } = scope;
  const words = messages.firstSteps;
  const steps = stepsOf(scope);
  if (steps.length === 0) return null;
  return (
    <section class="sheet first-steps" aria-labelledby="first-steps">
      <h2 id="first-steps">{words.title}</h2>
      <p>{words.nothingYet}</p>
      <ol>
        {steps.map((entity) => {
          const { one, heading } = scope.namesOf(entity);
          const needed = neededBy(scope, entity).map((each) => scope.namesOf(each).one);
          return (
            <li>
              <a class="btn btn-outline-primary btn-sm" href={`${encodeURI(entity.path)}/new`}>
                {messages.newRecord(one)}
              </a>{" "}
              {scope.offers("/import", entity) && (
                <a href={`${encodeURI(entity.path)}/import`}>
                  {words.fromList}
                  <span class="visually-hidden">: {heading}</span>
                </a>
              )}{" "}
              {needed.length > 0 && <span class="soft">{words.needs(needed)}</span>}
            </li>
          );
        })}
      </ol>
    </section>
  );
}

/** The entities that somebody may add records to, each behind those that it needs. Parts are added with what they belong to. */
function stepsOf(scope: Scope): Entity[] {
  const ordered: Entity[] = [];
  const place = (entity: Entity, on: readonly Entity[]) => {
    if (ordered.includes(entity) || on.includes(entity)) return;
    for (const each of neededBy(scope, entity)) place(each, [...on, entity]);
    ordered.push(entity);
  };
  for (const entity of scope.entities.all) place(entity, []);
  return ordered.filter((entity) => {
    const isPart = Object.values(entity.inputs).some((field) => isReference(field) && field.part);
    return !isPart && scope.offers("/new", entity);
  });
}

/** The entities of which a record needs one. */
function neededBy(scope: Scope, entity: Entity): Entity[] {
  const needed = Object.entries(entity.inputs).flatMap(([name, field]) => {
    const isNeeded = isReference(field) && field.required && !scope.isHidden(entity, name);
    return isNeeded ? [scope.entities.named(field.to)] : [];
  });
  return [...new Set(needed)].filter((each) => each !== entity);
}
