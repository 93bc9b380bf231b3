/** What may be in a script: quoted texts and names, comments, the end of a statement, and anything else. */
const tokens =
  /'(?:[^'\\]|\\[\s\S]|'')*'?|"(?:[^"\\]|\\[\s\S]|"")*"?|`(?:[^`]|``)*`?|--(?=\s|$)[^\n]*|#[^\n]*|\/\*[\s\S]*?(?:\*\/|$)|;|[^'"`;#/-]+|[\s\S]/g;

const isComment = (token: string) =>
  token.startsWith("--") || token.startsWith("#") || token.startsWith("/*");

/** The statements of a text, without comments: the server takes one at a time. */
export function statementsOf(text: string): string[] {
  const found: string[] = [];
  let statement = "";
  for (const [token] of text.matchAll(tokens)) {
    if (token === ";") {
      found.push(statement.trim());
      statement = "";
    } else if (!isComment(token) || token.startsWith("/*!") || token.startsWith("/*M!")) {
      statement += token;
    }
  }
  found.push(statement.trim());
  return found.filter((each) => each !== "");
}
