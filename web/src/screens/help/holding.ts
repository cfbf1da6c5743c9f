import type { TopicSection } from "../../api/reference";

/** The part of a section that holds some words: all of it where its heading or text does, else the rows that do; undefined for none. */
export function holding(section: TopicSection, words: string): TopicSection | undefined {
  const wanted = words.trim().toLowerCase();
  const holds = (text: string) => text.toLowerCase().includes(wanted);
  if (wanted === "" || holds(section.title) || section.text.some(holds)) return section;
  const rows = section.table?.rows.filter((row) => row.some(holds)) ?? [];
  return rows.length === 0 || section.table === null ? undefined : { ...section, table: { ...section.table, rows } };
}
