import type { Context } from "hono";
import type { Feature } from "../features/feature.ts";
import { showPage, Trail } from "../ui/layout.tsx";
import { accountTables } from "./account-tables.ts";
import { activityPath, peoplePath } from "./addresses.ts";
import type { Scope } from "./scope.ts";
import { type Activity, activityIn, isActivityRecorded, writeVisits } from "./visits.ts";

/** Who uses what, as bars and tables. For administrators. */
export const activity: Feature = {
  routes: [{ method: "GET", path: activityPath, needs: "administrator", answer: show }],
};

async function show(c: Context, scope: Scope) {
  const { messages, format } = scope;
  await writeVisits(scope.db);
  const { people, pages, days } = await activityIn(accountTables(scope.db), scope.organisation);
  const page = (
    <>
      <Trail scope={scope} to={peoplePath} label={messages.people} />
      <h1>{messages.activity}</h1>
      <p>{isActivityRecorded() ? messages.activityHelp : messages.activityOff}</p>
      <section class="sheet">
        <h2>{messages.byDay}</h2>
        <Days scope={scope} days={days} />
      </section>
      <div class="side-by-side">
        <Ranking
          title={messages.mostActive}
          heading={messages.name}
          counted={messages.visits}
          rows={people.map(({ id, name, count }) => ({
            label: name,
            href: `${peoplePath}/${id}`,
            count,
          }))}
          shown={(count) => format.number(count)}
        />
        <Ranking
          title={messages.mostVisited}
          heading={messages.page}
          counted={messages.visits}
          rows={pages.map(({ page, count }) => ({ ...pageNamed(scope, page), count }))}
          shown={(count) => format.number(count)}
        />
      </div>
    </>
  );
  return showPage(c, scope, page, { title: messages.activity });
}

/** What a page is called, and its address, where it needs no number: `/hives/…/edit` is `Hive, edit`. */
function pageNamed(scope: Scope, page: string): { label: string; href: string | undefined } {
  const entity = scope.entities.all.find(
    ({ path }) => page === path || page.startsWith(`${path}/`),
  );
  if (!entity) return { label: page === "/" ? scope.settings.name : page, href: page };
  const { heading, headings } = scope.namesOf(entity);
  if (page === entity.path) return { label: headings, href: page };
  const rest = page
    .slice(entity.path.length)
    .split("/")
    .filter((part) => part !== "" && part !== "…");
  return { label: [heading, ...rest].join(", "), href: undefined };
}

/** How high the bars are, in pixels of the drawing, and how wide with the space beside them. */
const chart = { height: 120, bar: 14, step: 20 };

function Days({ scope, days }: { scope: Scope; days: Activity["days"] }) {
  const { messages, format } = scope;
  const most = Math.max(1, ...days.map(({ count }) => count));
  const width = days.length * chart.step;
  return (
    <>
      <svg
        class="bars"
        viewBox={`0 0 ${width} ${chart.height}`}
        preserveAspectRatio="none"
        role="img"
        aria-label={messages.byDay}
      >
        {days.map(({ day, count }, at) => {
          const height = Math.round((chart.height * count) / most);
          return (
            <rect
              x={at * chart.step + (chart.step - chart.bar) / 2}
              y={chart.height - height}
              width={chart.bar}
              height={height}
            >
              <title>{`${format.date(day)}: ${format.number(count)}`}</title>
            </rect>
          );
        })}
      </svg>
      <p class="bar-ends soft small">
        <span>{format.date(days[0]?.day ?? "")}</span>
        <span>{format.date(days.at(-1)?.day ?? "")}</span>
      </p>
      <details>
        <summary>{messages.asTable}</summary>
        <table class="table">
          <thead>
            <tr>
              <th scope="col">{messages.day}</th>
              <th scope="col" class="text-end">
                {messages.visits}
              </th>
              <th scope="col" class="text-end">
                {messages.peopleThere}
              </th>
            </tr>
          </thead>
          <tbody>
            {days
              .filter(({ count }) => count > 0)
              .map(({ day, count, people }) => (
                <tr>
                  <td>{format.date(day)}</td>
                  <td class="text-end">{format.number(count)}</td>
                  <td class="text-end">{format.number(people)}</td>
                </tr>
              ))}
          </tbody>
        </table>
      </details>
    </>
  );
}

/** A table with what is counted, the most first, each with a bar. */
function Ranking({
  title,
  heading,
  counted,
  rows,
  shown,
}: {
  title: string;
  heading: string;
  counted: string;
  rows: readonly { label: string; href: string | undefined; count: number }[];
  shown(count: number): string;
}) {
  const most = Math.max(1, ...rows.map(({ count }) => count));
  return (
    <section class="sheet">
      <h2>{title}</h2>
      <table class="table ranking">
        <thead>
          <tr>
            <th scope="col">{heading}</th>
            <th scope="col" class="text-end">
              {counted}
            </th>
          </tr>
        </thead>
        <tbody>
          {rows.map(({ label, href, count }) => (
            <tr>
              <td>
                {href ? <a href={href}>{label}</a> : label}
                <svg class="bar" viewBox="0 0 100 4" preserveAspectRatio="none" aria-hidden="true">
                  <rect x="0" y="0" width={Math.round((100 * count) / most)} height="4" />
                </svg>
              </td>
              <td class="text-end">{shown(count)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
