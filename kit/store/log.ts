/**
 * An error for the log of the server: what it is called, what it says and where it happened, each in one line.
 * What is in quotes may be somebody's data, and so may the details that drivers add: they stay out.
 */
export function logError(error: unknown, about = ""): void {
  const {
    name = "Error",
    code,
    message = "",
    stack = "",
    table,
    column,
    constraint,
  } = (error ?? {}) as Readonly<Record<string, string | undefined>>;
  const said = code === undefined ? message : withoutQuoted(message);
  const places = stack.split("\n").filter((line) => /^\s+at /.test(line));
  const place = [table, column, constraint].filter((each) => typeof each === "string");
  const first = [new Date().toISOString(), about, name, code, said, ...place].filter(Boolean);
  console.error([oneLine(first.join(" ")), ...places.slice(0, 12).map(oneLine)].join("\n"));
  const { cause } = (error ?? {}) as { cause?: unknown };
  if (cause) logError(cause, "because of");
}

/** What a database says, without the values that it quotes. */
function withoutQuoted(message: string): string {
  return message.slice(0, 2000).replace(/'.*'/gs, "'…'").replace(/".*"/gs, '"…"');
}

/** A text in which nothing ends a line or gives orders to a terminal. */
function oneLine(text: string): string {
  return text.slice(0, 2000).replace(/[\p{Cc}\p{Zl}\p{Zp}\p{Bidi_Control}]/gu, " ");
}
