import { Typography } from "antd";
import { Link } from "react-router";
import type { TopicSection } from "../../api/reference";
import { placeOf } from "../../parts/useGo";

/** A section: its paragraphs, the screen that it is about, the command that does the same, its table. */
export function HelpSection({ section, project }: { section: TopicSection; project: number }) {
  const { title, mark, text, place, command, table } = section;
  return (
    <section aria-label={title}>
      <Typography.Title level={5}>
        {mark.length === 1 && <span className="numbers">{mark} </span>}
        {title}
        {mark.length > 1 && <span className="faded small">, {mark}</span>}
      </Typography.Title>
      {text.map((paragraph) => (
        <p key={paragraph}>{paragraph}</p>
      ))}
      {place !== "" && <Link to={placeOf(place, project)}>Go there</Link>}
      {command !== "" && (
        <p className="small">
          By command line: <code className="numbers">{command}</code>
        </p>
      )}
      {table !== null && (
        <div className="scrolled" role="region" aria-label={`${title}, as a table`} tabIndex={0}>
          <table className="help-table">
            <thead>
              <tr>
                {table.columns.map((column) => (
                  <th key={column} scope="col">
                    {column}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {table.rows.map((row) => (
                <tr key={row.join(" ")}>
                  {row.map((cell, at) => (
                    <td key={table.columns[at]}>{cell}</td>
                  ))}
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
    </section>
  );
}
