import { Alert, Button, Flex, Input, Select, Table, Typography } from "antd";
import { useState } from "react";
import { useAudit, usePeople, usePeopleChange, type Person, type Role } from "../../api/people";
import { Failure } from "../../parts/Failure";
import { Moment } from "../../parts/Moment";
import { useComplaint } from "../../parts/useComplaint";

const ROLES: { value: Role; label: string }[] = [
  { value: "reader", label: "reader: looks at everything" },
  { value: "td", label: "td: works on materials too" },
  { value: "supervisor", label: "supervisor: accepts, sets tolerances, lets people in" },
];

/** Who has an account, what they may do, and what was done. */
export function PeopleScreen() {
  const people = usePeople();
  const change = usePeopleChange();
  const complain = useComplaint();
  if (people.error !== null) return <Failure error={people.error} />;
  const links = [change.add.data, change.link.data].filter((one) => one !== undefined);
  const link = links.at(change.link.submittedAt > change.add.submittedAt ? -1 : 0);
  return (
    <Flex vertical gap={18} className="screen screen-narrow">
      <Typography.Title level={4} className="heading">
        People
      </Typography.Title>
      <NewPerson add={(name, role) => change.add.mutate({ name, role }, { onError: complain })} />
      {link !== undefined && (
        <Alert
          type="info"
          title={`Lets ${link.person.name} in once, within a day:`}
          description={
            <Typography.Text code copyable>
              {`${window.location.origin}/enter#${link.link}`}
            </Typography.Text>
          }
        />
      )}
      <Table<Person>
        size="small"
        rowKey="id"
        pagination={false}
        loading={people.isPending}
        dataSource={people.data ?? []}
        columns={[
          { title: "Name", dataIndex: "name" },
          {
            title: "May",
            render: (_, person) => (
              <Select
                size="small"
                aria-label={`What ${person.name} may do`}
                value={person.role}
                options={ROLES}
                popupMatchSelectWidth={false}
                className="field-wide"
                onChange={(role) =>
                  change.role.mutate({ id: person.id, role, disabled: person.disabled }, { onError: complain })
                }
              />
            ),
          },
          {
            title: "Signs in",
            render: (_, { disabled, has_password }) =>
              disabled ? "no more" : has_password ? "by password" : "by link only",
          },
          {
            title: "",
            align: "right",
            render: (_, person) => (
              <Flex gap={8} justify="end">
                <Button
                  size="small"
                  disabled={person.disabled}
                  onClick={() => change.link.mutate(person.id, { onError: complain })}
                >
                  One-time link
                </Button>
                <Button
                  size="small"
                  onClick={() =>
                    change.role.mutate(
                      { id: person.id, role: person.role, disabled: !person.disabled },
                      { onError: complain },
                    )
                  }
                >
                  {person.disabled ? "Let in again" : "Put out"}
                </Button>
              </Flex>
            ),
          },
        ]}
      />
      <Audit />
    </Flex>
  );
}

function NewPerson({ add }: { add: (name: string, role: Role) => void }) {
  const [name, setName] = useState("");
  const [role, setRole] = useState<Role>("td");
  const send = () => {
    if (name.trim() === "") return;
    add(name, role);
    setName("");
  };
  return (
    <Flex gap={8}>
      <Input
        aria-label="Name of somebody new"
        className="field"
        placeholder="name"
        maxLength={80}
        value={name}
        onChange={(event) => setName(event.target.value)}
        onPressEnter={send}
      />
      <Select
        aria-label="What they may do"
        value={role}
        options={ROLES}
        onChange={setRole}
        popupMatchSelectWidth={false}
        className="field-wide"
      />
      <Button type="primary" disabled={name.trim() === ""} onClick={send}>
        Give an account
      </Button>
    </Flex>
  );
}

function Audit() {
  const audit = useAudit();
  return (
    <section aria-label="What was done">
      <Flex justify="space-between" align="baseline">
        <Typography.Title level={5}>What was done</Typography.Title>
        <a href="/api/v1/audit/lines" download>
          All of it as JSON Lines
        </a>
      </Flex>
      <Table
        size="small"
        rowKey="id"
        loading={audit.isPending}
        dataSource={audit.data ?? []}
        pagination={{ pageSize: 20, hideOnSinglePage: true, showSizeChanger: false }}
        columns={[
          { title: "When", render: (_, { moment }) => <Moment at={moment} /> },
          {
            title: "Who",
            render: (_, { by, tried_as }) =>
              by === "" ? (
                <span className="faded">{tried_as === "" ? "nobody who is known" : `“${tried_as}”, not let in`}</span>
              ) : (
                by
              ),
          },
          { title: "From", dataIndex: "source", className: "small" },
          { title: "Act", render: (_, { act }) => act.replaceAll("_", " ") },
          { title: "Where", dataIndex: "place", className: "small" },
          { title: "Ended", render: (_, { status }) => (status < 400 ? "done" : `refused (${status})`) },
        ]}
      />
    </section>
  );
}
