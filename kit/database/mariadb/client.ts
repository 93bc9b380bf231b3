import type { Connection } from "mysql2";

/** A connection with promises. */
export interface Client {
  query<Row>(text: string, values?: readonly unknown[]): Promise<Row[]>;
  connection: Connection;
  end(): Promise<void>;
}
