import Driver from "libsql";

/** The rows of a statement, read from a database file on its own. */
export function rowsOf<Row = Record<string, unknown>>(
  file: string,
  statement: string,
  ...values: unknown[]
): Row[] {
  const driver = new Driver(file, { readonly: true });
  try {
    return driver.prepare(statement).all(values) as Row[];
  } finally {
    driver.close();
  }
}
