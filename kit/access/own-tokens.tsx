import type { Context } from "hono";
import type { Entity } from "../entity/entity.ts";
import { recordId } from "../entity/links.ts";
import type { Feature } from "../features/feature.ts";
import { text } from "../fields/text.ts";
import { referencePath } from "../http/problem.ts";
import { type SentForm, sentForm, sentText } from "../http/sent-form.ts";
import { noteEvent } from "../store/audit.ts";
import { showPage, Trail } from "../ui/layout.tsx";
import { WideTable } from "../ui/wide-table.tsx";
import { accountTables } from "./account-tables.ts";
import { accountOf } from "./accounts.ts";
import { type Action, actions } from "./action.ts";
import { accountPath, ownTokensPath } from "./addresses.ts";
import { tellChange } from "./letters.ts";
import type { Narrowing } from "./person.ts";
import { type Errors, FormProblem, PlainInput, PlainSelect } from "./plain-form.tsx";
import type { Scope } from "./scope.ts";
import { TokenTable } from "./token-table.tsx";
import { makeToken, mostTokens, revokeToken, tokensOf } from "./tokens.ts";

/** A page with the tokens that somebody gave to programs. */
export const ownTokens: Feature = {
  routes: [
    {
      method: "GET",
      path: ownTokensPath,
      needs: "person",
      answer: (c, scope) => show(c, scope, { errors: new Map() }),
    },
    { method: "POST", path: ownTokensPath, needs: "person", answer: makeSent },
    { method: "POST", path: `${ownTokensPath}/revoke`, needs: "person", answer: revokeSent },
  ],
};

/** After how many days a token can expire. */
const lifetimes = [7, 30, 90, 365] as const;

/** What somebody typed, and what came of it. */
interface Shown {
  errors: Errors;
  typed?: SentForm;
  /** A token that was just made. */
  made?: { name: string; token: string };
  isRevoked?: boolean;
}

async function makeSent(c: Context, scope: Scope) {
  const data = await sentForm(c);
  const { person, organisation, messages } = scope;
  const account = person && (await accountOf(accountTables(scope.db), person.id));
  if (!account) return c.notFound();
  const db = accountTables(scope.db);
  const words = messages.api.tokens;
  const name = text({ label: "", max: 60 }).read([sentText(data, "name")], scope);
  const errors = new Map<string, string>();
  const own = await tokensOf(db, account.id);
  if ("error" in name) errors.set("name", name.error);
  else if (own.some((token) => token.name === name.value)) errors.set("name", words.nameTaken);
  if (own.length >= mostTokens) errors.set("", words.tooMany(mostTokens));
  const days = lifetimes.find((each) => String(each) === sentText(data, "days"));
  const may = sentText(data, "scope") === "narrowed" ? chosenActions(scope, data) : undefined;
  if (may && Object.keys(may).length === 0) errors.set("", words.narrow);
  if ("error" in name || errors.size > 0) return show(c, scope, { errors, typed: data }, 422);
  const token = await makeToken(db, {
    account: account.id,
    organisation,
    name: name.value,
    may,
    days,
  });
  await noteEvent(scope, "token", { did: "made", name: name.value });
  await tellChange(scope, account, ({ token: say }) => say(name.value));
  return show(c, scope, { errors, made: { name: name.value, token } });
}

function chosenActions(scope: Scope, data: SentForm): Narrowing {
  return Object.fromEntries(
    scope.entities.all.flatMap((entity) => {
      const chosen = new Set(
        offered(scope, entity).filter((action) => data.has(`${entity.table} ${action}`)),
      );
      // Of what a program changes, deletes, exports or has the history, it sees what it is.
      const needsSight = [...chosen].some((action) => action !== "add");
      if (needsSight && scope.may("see", entity)) chosen.add("see");
      return chosen.size > 0 ? [[entity.table, [...chosen]]] : [];
    }),
  );
}

/** What the person may do, and can let a token do. */
function offered(scope: Scope, entity: Entity): Action[] {
  return actions.filter((action) => scope.may(action, entity));
}

async function revokeSent(c: Context, scope: Scope) {
  const data = await sentForm(c);
  const id = recordId(sentText(data, "token"));
  const name =
    id === undefined
      ? undefined
      : await revokeToken(accountTables(scope.db), scope.person?.id ?? 0, id);
  if (name !== undefined) await noteEvent(scope, "token", { did: "revoked", name });
  return c.redirect(`${ownTokensPath}?done=revoked`, 303);
}

async function show(c: Context, scope: Scope, shown: Shown, status = 200) {
  const { messages } = scope;
  const words = messages.api.tokens;
  const { errors, made, typed } = shown;
  const tokens = await tokensOf(accountTables(scope.db), scope.person?.id ?? 0);
  const isRevoked = status === 200 && !made && c.req.query("done") === "revoked";
  const page = (
    <>
      <Trail scope={scope} to={accountPath} label={messages.yourAccount} />
      <div class="heading">
        <h1>{words.title}</h1>
        <div class="actions">
          <a class="btn btn-outline-secondary" href={referencePath}>
            {words.reference}
          </a>
        </div>
      </div>
      <p>{words.help}</p>
      {isRevoked && (
        <div class="alert alert-success" role="status">
          {words.revoked}
        </div>
      )}
      {made && (
        <div class="alert alert-success" role="status">
          <p>{words.isMade(made.name)}</p>
          <code class="feed-address">{made.token}</code>
        </div>
      )}
      <FormProblem errors={errors} />
      {tokens.length === 0 ? <p class="empty">{words.none}</p> : null}
      {tokens.length > 0 && (
        <div class="mb-3">
          <TokenTable scope={scope} tokens={tokens} action={`${ownTokensPath}/revoke`} />
        </div>
      )}
      <form method="post" action={ownTokensPath} class="sheet">
        <h2>{words.make}</h2>
        <div class="narrow-form">
          <PlainInput
            name="name"
            label={words.name}
            hint={words.nameHint}
            value={typed ? sentText(typed, "name") : ""}
            errors={errors}
            autocomplete="off"
          />
          <PlainSelect
            name="days"
            label={words.until}
            value={typed ? sentText(typed, "days") : "90"}
            none={words.never}
            choices={lifetimes.map((days) => [String(days), words.days(days)] as const)}
            errors={errors}
          />
        </div>
        <Chosen scope={scope} typed={typed} />
        <button class="btn btn-primary" type="submit">
          {words.make}
        </button>
      </form>
    </>
  );
  return showPage(c, scope, page, { title: words.title, status });
}

/** What a token may do: all that the person may, or what is ticked. */
function Chosen({ scope, typed }: { scope: Scope; typed: SentForm | undefined }) {
  const { messages } = scope;
  const words = messages.api.tokens;
  const isNarrowed = typed !== undefined && sentText(typed, "scope") === "narrowed";
  const seen = scope.entities.all.filter((entity) => offered(scope, entity).length > 0);
  const radio = (value: string, label: string, checked: boolean) => (
    <label class="form-check">
      <input class="form-check-input" type="radio" name="scope" value={value} checked={checked} />{" "}
      {label}
    </label>
  );
  return (
    <fieldset class="mb-3">
      <legend class="form-label fs-6">{words.scope}</legend>
      {radio("whole", words.whole, !isNarrowed)}
      {radio("narrowed", words.narrowed, isNarrowed)}
      <WideTable label={words.scope}>
        <table class="table narrowing">
          <thead>
            <tr>
              <th scope="col">
                <span class="visually-hidden">{messages.what}</span>
              </th>
              {actions.map((action) => (
                <th scope="col">{messages.actions[action]}</th>
              ))}
            </tr>
          </thead>
          <tbody>
            {seen.map((entity) => (
              <tr>
                <th scope="row">{scope.namesOf(entity).headings}</th>
                {actions.map((action) => (
                  <td>
                    {scope.may(action, entity) && (
                      <input
                        class="form-check-input"
                        type="checkbox"
                        name={`${entity.table} ${action}`}
                        aria-label={`${scope.namesOf(entity).headings}: ${messages.actions[action]}`}
                        checked={typed?.has(`${entity.table} ${action}`) ?? false}
                      />
                    )}
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      </WideTable>
    </fieldset>
  );
}
