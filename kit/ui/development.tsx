import { readFileSync } from "node:fs";

/** What is known of the pages while the application is being developed: the file and line that each is made from. */
interface Notes {
  /** By page: the line of the model, and the file to edit. */
  origins: Record<string, { model: string; file: string }>;
  /** Changes of the model that wait for a decision, in words. */
  waiting: string[];
}

const notesPath = process.env.DEVELOPMENT_NOTES;

/** The notes, where the one who started the application left some. */
export function developmentNotes(): Notes | undefined {
  if (notesPath === undefined) return undefined;
  try {
    return JSON.parse(readFileSync(notesPath, "utf8")) as Notes;
  } catch {
    return undefined;
  }
}

/** Says at the foot of a page which file and line it is made from, and which changes wait. */
export function DevelopmentFooter({ notes, path }: { notes: Notes; path: string }) {
  const origin = notes.origins[pageOf(path)] ?? notes.origins["/"];
  return (
    <footer class="development" data-reload="/-/changes">
      {notes.waiting.length > 0 && (
        <div class="waiting" role="status">
          <strong>The model has changes that wait:</strong>
          <ul>
            {notes.waiting.map((change) => (
              <li>{change}</li>
            ))}
          </ul>
        </div>
      )}
      {origin && (
        <p>
          Model: <code>{origin.model}</code> · Page: <code>{origin.file}</code>
        </p>
      )}
    </footer>
  );
}

/** The page of an entity that an address shows: `/hives`, `/hives/detail` or `/hives/form`. */
function pageOf(path: string): string {
  const [, entity = "", record, page] = path.split("/");
  if (record === "new" || page === "edit") return `/${entity}/form`;
  // What belongs to no record belongs to the list: its filters, its columns, its files.
  return record !== undefined && /^\d/.test(record) ? `/${entity}/detail` : `/${entity}`;
}
