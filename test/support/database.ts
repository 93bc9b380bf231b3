import Driver from "libsql";

/** The rows of a statement, read from a database file on its own. */
export function rowsOf<Row = Record<string, unknown>>(
  file: string,
  statement: string,
  ...values: unknown[]
): Row[] {
  const driver = new Driver(file, { readonly: true });
  // The application may be writing at this moment.
  driver.pragma("busy_timeout = 5000");
  try {
    return driver.prepare(statement).all(values) as Row[];
  } finally {
    driver.close();
  }
}
