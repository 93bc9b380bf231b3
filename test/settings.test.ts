import { expect, it } from "vitest";
import { levadura, projectWith } from "./support/program.ts";

const model = "levadura: 1\nentities:\n  Hive:\n    fields:\n      code: text, required\n";

it.each([
  [
    "postgres",
    "sslrootcert=/missing.pem",
    /says sslrootcert=\/missing\.pem, and there is no such file/,
  ],
  [
    "mariadb",
    "ssl=true&ssl-ca=/missing.pem",
    /says ssl-ca=\/missing\.pem, and there is no such file/,
  ],
  ["mariadb", "ssl=perhaps", /says ssl, and its value has to be true/],
  [
    "mariadb",
    "sslmode=require",
    /says sslmode, which is not known here. What can stand there: ssl, /,
  ],
])("an address of %s with %s is refused with what to do", async (kind, parameters, words) => {
  const folder = projectWith(model.replace("entities", `app: {database: ${kind}}\nentities`));
  await levadura(["prepare"], folder);
  const address = `${kind}://somebody@127.0.0.1/settings_of_tls?${parameters}`;
  const { status, err } = await levadura(["migrate"], folder, { env: { DATABASE_URL: address } });
  expect({ status, err }).toEqual({ status: 2, err: expect.stringMatching(words) });
});

it.each([
  ["DATABASE_WAIT_SECONDS", "never", /DATABASE_WAIT_SECONDS has to be a number of seconds/],
  ["DATABASE_STATEMENT_SECONDS", "-1", /DATABASE_STATEMENT_SECONDS has to be a number of seconds/],
  ["DATABASE_SYNCHRONOUS", "sometimes", /DATABASE_SYNCHRONOUS has to be full or normal/],
])("an application with %s=%s doesn't start, and says why", async (name, value, words) => {
  const folder = projectWith(model);
  for (const command of ["prepare", "migrate", "build"]) await levadura([command], folder);
  const { status, err } = await levadura(["serve"], folder, { env: { [name]: value } });
  expect({ status, err }).toEqual({
    status: expect.any(Number),
    err: expect.stringMatching(words),
  });
  expect(status).not.toBe(0);
});
