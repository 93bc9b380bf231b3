import type { Context } from "hono";
import { ownTokensPath } from "../../access/addresses.ts";
import type { Scope } from "../../access/scope.ts";
import { openApiPath, type ProblemKind, problemStatus } from "../../http/problem.ts";
import { showPage } from "../../ui/layout.tsx";
import { WideTable } from "../../ui/wide-table.tsx";
import type { openApi } from "./openapi.ts";
import { titleOf } from "./problems.ts";

type Description = ReturnType<typeof openApi>;

/** A part of the description, as far as this page looks at it. */
interface Schema {
  $ref?: string;
  type?: string;
  title?: string;
  enum?: readonly string[];
  format?: string;
  minLength?: number;
  maxLength?: number;
  minimum?: number;
  maximum?: number;
  anyOf?: readonly Schema[];
  items?: Schema;
  properties?: Readonly<Record<string, Schema>>;
  required?: readonly string[];
}

interface Operation {
  operationId: string;
  tags?: readonly string[];
  summary: string;
  requestBody?: { content: Readonly<Record<string, { schema: Schema }>> };
}

/** The page that shows what a program can ask for as whoever looks at it. Everything on it is from the description. */
export function showReference(c: Context, scope: Scope, described: Description) {
  const { api } = scope.messages;
  const words = api.reference;
  const operations = operationsOf(described);
  const groups = new Map<string, typeof operations>();
  for (const each of operations) {
    const group = each.operation.tags?.[0] ?? words.several;
    groups.set(group, [...(groups.get(group) ?? []), each]);
  }
  const origin = described.servers[0]?.url ?? "";
  const [first] = operations;
  const example = `curl ${scope.access ? `-H "Authorization: Bearer $TOKEN" ` : ""}${origin}${first?.path ?? openApiPath}`;
  const page = (
    <>
      <div class="heading">
        <h1>{words.title}</h1>
        <div class="actions">
          <a class="btn btn-outline-secondary" href={openApiPath}>
            {words.download}
          </a>{" "}
          {scope.access && scope.person && (
            <a class="btn btn-primary" href={ownTokensPath}>
              {api.tokens.title}
            </a>
          )}
        </div>
      </div>
      <p>{scope.access ? words.helpSignedIn : words.help}</p>
      <pre class="api-example">{example}</pre>
      <ul>
        {words.rules.map((rule) => (
          <li>{rule}</li>
        ))}
      </ul>
      <nav aria-label={words.contents} class="buttons mb-3">
        {[...groups.keys()].map((group, at) => (
          <a class="btn btn-outline-secondary btn-sm" href={`#group-${at}`}>
            {group}
          </a>
        ))}
      </nav>
      {[...groups].map(([group, its], at) => (
        <section class="sheet" id={`group-${at}`}>
          <h2>{group}</h2>
          <WideTable label={group}>
            <table class="table api-operations">
              <tbody>
                {its.map(({ method, path, operation }) => (
                  <tr>
                    <td>
                      <span class="tag">{method.toUpperCase()}</span>
                    </td>
                    <td>
                      <code>{decodeURI(path)}</code>
                    </td>
                    <td>{operation.summary}</td>
                  </tr>
                ))}
              </tbody>
            </table>
          </WideTable>
          <Members scope={scope} described={described} operations={its} />
        </section>
      ))}
      <section class="sheet" id="problems">
        <h2>{words.problems}</h2>
        <p>{words.problemsHelp}</p>
        <dl class="api-problems">
          {(Object.keys(problemStatus) as ProblemKind[]).map((kind) => (
            <div id={`problem-${kind}`}>
              <dt>
                {problemStatus[kind]} <code>{kind}</code>
              </dt>
              <dd>{titleOf(scope, kind)}</dd>
            </div>
          ))}
        </dl>
      </section>
    </>
  );
  return showPage(c, scope, page, { title: words.title });
}

function operationsOf({ paths }: Description) {
  return Object.entries(paths as Readonly<Record<string, Record<string, Operation>>>).flatMap(
    ([path, methods]) =>
      Object.entries(methods).map(([method, operation]) => ({ method, path, operation })),
  );
}

/** The members of the records of an entity: what each is, and whether it is sent. */
function Members({
  scope,
  described,
  operations,
}: {
  scope: Scope;
  described: Description;
  operations: ReturnType<typeof operationsOf>;
}) {
  const { reference: words } = scope.messages.api;
  const schemas = described.components.schemas as Readonly<Record<string, Schema>>;
  const named = (start: string) => {
    const found = operations.find(({ operation }) => operation.operationId.startsWith(start));
    const name = found?.operation.operationId.slice(start.length);
    return name === undefined ? undefined : name;
  };
  const name = named("list") ?? named("add") ?? named("change");
  const whole = name === undefined ? undefined : (schemas[name] ?? schemas[`${name}New`]);
  if (name === undefined || !whole?.properties) return null;
  const added = schemas[`${name}New`];
  const changed = schemas[`${name}Change`];
  return (
    <details>
      <summary>{words.members}</summary>
      <WideTable label={words.members}>
        <table class="table">
          <thead>
            <tr>
              <th scope="col">{words.member}</th>
              <th scope="col">{words.what}</th>
              <th scope="col">{words.label}</th>
              <th scope="col">{words.sent}</th>
            </tr>
          </thead>
          <tbody>
            {Object.entries(whole.properties).map(([member, schema]) => (
              <tr>
                <td>
                  <code>{member}</code>
                </td>
                <td>{kindText(added?.properties?.[member] ?? schema)}</td>
                <td>{schema.title}</td>
                <td>
                  {added?.required?.includes(member)
                    ? words.needed
                    : added?.properties?.[member] || changed?.properties?.[member]
                      ? words.optional
                      : words.readOnly}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </WideTable>
    </details>
  );
}

/** What a value is, in a few words: `string (date)`, `string 3..10`, `active | weak`. */
function kindText(schema: Schema): string {
  const { anyOf, enum: values, items, format, type } = schema;
  if (values) return values.join(" | ");
  if (anyOf) return anyOf.map(kindText).join(" | ");
  if (type === "array") return `${items ? kindText(items) : ""}[]`;
  if (schema.properties) return `{ ${Object.keys(schema.properties).join(", ")} }`;
  if (format) return `${type} (${format})`;
  const [least, most] = [schema.minLength ?? schema.minimum, schema.maxLength ?? schema.maximum];
  const isBounded = most !== undefined || (least !== undefined && least !== 1);
  return `${type ?? ""}${isBounded ? ` ${least ?? ""}..${most ?? ""}` : ""}`;
}
