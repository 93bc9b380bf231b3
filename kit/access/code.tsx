import type { Context } from "hono";
import type { Feature } from "../features/feature.ts";
import { sentForm, sentText } from "../http/sent-form.ts";
import { noteEvent } from "../store/audit.ts";
import { showPage } from "../ui/layout.tsx";
import { accountTables } from "./account-tables.ts";
import { codePath } from "./addresses.ts";
import { attemptMinutes, countAttempt, forgetAttempts } from "./attempts.ts";
import { letIn } from "./let-in.tsx";
import { linkOf, useLink } from "./links.ts";
import { type Errors, FormProblem, PlainInput } from "./plain-form.tsx";
import type { Scope } from "./scope.ts";
import { useCode } from "./second-factor.ts";
import { linkEnded } from "./sign-in.tsx";

/** The code that somebody with a second factor types after the password. */
export const secondStep: Feature = {
  routes: [
    {
      method: "GET",
      path: `${codePath}/:secret`,
      needs: "nothing",
      answer: async (c, scope) => {
        const link = await linkOf(accountTables(scope.db), c.req.param("secret"), "second");
        return link?.account ? askCode(c, scope, new Map()) : linkEnded(c, scope);
      },
    },
    { method: "POST", path: `${codePath}/:secret`, needs: "nothing", answer: codeSent },
  ],
};

async function codeSent(c: Context, scope: Scope) {
  const data = await sentForm(c);
  const secret = c.req.param("secret") ?? "";
  const db = accountTables(scope.db);
  const { messages } = scope;
  const account = (await linkOf(db, secret, "second"))?.account;
  if (!account) return linkEnded(c, scope);
  const limits = [{ subject: `code ${account.id}`, most: 10 }];
  if (!(await countAttempt(db, limits))) {
    return askCode(c, scope, new Map([["", messages.tooManyAttempts(attemptMinutes)]]), 429);
  }
  if (!(await useCode(db, account, sentText(data, "code")))) {
    await noteEvent(scope, "sign in refused", { account: account.name });
    return askCode(c, scope, new Map([["code", messages.wrongCode]]), 422);
  }
  if (!(await useLink(db, secret))) return linkEnded(c, scope);
  await forgetAttempts(db, limits);
  return letIn(c, scope, account, new URL(c.req.url).searchParams.get("to") ?? "");
}

function askCode(c: Context, scope: Scope, errors: Errors, status = 200) {
  const { messages } = scope;
  const page = (
    <>
      <h1>{messages.confirmSignIn}</h1>
      <FormProblem errors={errors} />
      <form method="post" class="narrow-form">
        <PlainInput
          name="code"
          label={messages.code}
          hint={messages.codeHint}
          errors={errors}
          autocomplete="one-time-code"
        />
        <button class="btn btn-primary" type="submit">
          {messages.signIn}
        </button>
      </form>
    </>
  );
  return showPage(c, scope, page, { title: messages.confirmSignIn, status });
}
