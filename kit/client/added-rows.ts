/** What a row sends when it was added to a form. */
const added = "row-added";

/** Makes something of the elements that a page has, and of those in rows that are added to its forms later. */
export function everywhere<Found extends Element>(
  selector: string,
  enhance: (element: Found) => void,
): void {
  for (const element of document.querySelectorAll<Found>(selector)) enhance(element);
  document.addEventListener(added, ({ target }) => {
    if (!(target instanceof Element)) return;
    for (const element of target.querySelectorAll<Found>(selector)) enhance(element);
  });
}

/** Tells that a row was added. */
export function tellAdded(row: Element): void {
  row.dispatchEvent(new Event(added, { bubbles: true }));
}
