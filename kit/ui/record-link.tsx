import { address, type Link } from "../entity/links.ts";

/** A record's title, linked to its page; nothing for null. */
export function RecordLink({ to }: { to: Link | null }) {
  return to === null ? null : <a href={address(to)}>{to.displayTitle}</a>;
}

/** Several records, linked. */
export function RecordLinks({ to }: { to: readonly Link[] }) {
  return (
    <>
      {to.map((link, index) => (
        <>
          {index > 0 && ", "}
          <a href={address(link)}>{link.displayTitle}</a>
        </>
      ))}
    </>
  );
}
