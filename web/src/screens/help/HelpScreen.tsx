import { Input, Typography } from "antd";
import { useState } from "react";
import { Navigate, NavLink, useParams } from "react-router";
import { useTopic, useTopics } from "../../api/reference";
import { Failure } from "../../parts/Failure";
import { placeOf } from "../../parts/useGo";
import { HelpSection } from "./HelpSection";
import { holding } from "./holding";
import "./help.css";

const FIRST = "guide";

/** The guide and the reference: topics at the left, one of them at the right, searched as one types. */
export function HelpScreen({ project }: { project: number }) {
  const { topic } = useParams();
  const topics = useTopics();
  if (topics.error !== null) return <Failure error={topics.error} />;
  if (topics.data === undefined) return null;
  if (topic === undefined) return <Navigate to={placeOf(`/help/${FIRST}`, project)} replace />;
  return (
    <div className="screen screen-wide help">
      <nav aria-label="Topics of the help">
        {topics.data.map(({ id, title, says }) => (
          <NavLink
            key={id}
            to={placeOf(`/help/${id}`, project)}
            className={({ isActive }) => (isActive ? "profile-line chosen" : "profile-line")}
          >
            {title}
            <span className="block faded smaller">{says}</span>
          </NavLink>
        ))}
      </nav>
      <TopicText key={topic} topic={topic} project={project} />
    </div>
  );
}

function TopicText({ topic, project }: { topic: string; project: number }) {
  const { data, error } = useTopic(topic);
  const [find, setFind] = useState("");
  if (error !== null) return <Failure error={error} />;
  if (data === undefined) return null;
  const sections = data.sections.flatMap((section) => holding(section, find) ?? []);
  return (
    <article aria-label={data.title} className="help-text">
      <Typography.Title level={4} className="heading">
        {data.title}
      </Typography.Title>
      <p className="faded">{data.says}</p>
      {topic !== FIRST && (
        <Input.Search
          aria-label="Find in this topic"
          className="field-wide"
          placeholder="Find in this topic"
          allowClear
          onChange={(event) => setFind(event.target.value)}
        />
      )}
      <p role="status" className="faded small">
        {find !== "" && sections.length === 0 && `Nothing here says “${find}”.`}
      </p>
      {sections.map((section) => (
        <HelpSection key={section.id} section={section} project={project} />
      ))}
    </article>
  );
}
