import { Alert, Button, Flex, Form, Input, InputNumber, Modal, Typography } from "antd";
import { useState } from "react";
import { useEndToken, useNewToken, useSetPassword, useTokens, type Me } from "../api/people";
import { explain } from "./Failure";
import { Moment } from "./Moment";
import { useComplaint } from "./useComplaint";
import { PasswordField } from "./PasswordField";

/** One's own account: the password, and tokens for scripts. Mount it while it is open. */
export function AccountDialog({ me, close }: { me: Me; close: () => void }) {
  return (
    <Modal title={`${me.name}, ${me.role}`} open onCancel={close} footer={null} width={560}>
      <Flex vertical gap={22}>
        <Password me={me} />
        <Tokens />
      </Flex>
    </Modal>
  );
}

function Password({ me }: { me: Me }) {
  const set = useSetPassword();
  const asksForOld = me.has_password && !me.by_link;
  return (
    <section aria-label="Password">
      <Typography.Title level={5}>{me.has_password ? "Another password" : "A password"}</Typography.Title>
      {!me.has_password && (
        <p className="small">You came by a one-time link. With a password you can sign in again without one.</p>
      )}
      {set.error !== null && <Alert type="warning" showIcon title={explain(set.error)} role="alert" />}
      {set.isSuccess && (
        <Alert type="success" showIcon title="It is set; your other sessions have ended." role="status" />
      )}
      <Form
        layout="vertical"
        requiredMark={false}
        onFinish={({ password, current = "" }: { password: string; current?: string }) =>
          set.mutate({ password, current })
        }
      >
        <Form.Item hidden>
          <Input name="username" autoComplete="username" defaultValue={me.name} readOnly />
        </Form.Item>
        {asksForOld && (
          <Form.Item name="current" label="The one you have now">
            <PasswordField autoComplete="current-password" />
          </Form.Item>
        )}
        <Form.Item name="password" label="New password" extra="8 characters or more, not easily guessed.">
          <PasswordField autoComplete="new-password" />
        </Form.Item>
        <Button htmlType="submit" loading={set.isPending}>
          Set it
        </Button>
      </Form>
    </section>
  );
}

function Tokens() {
  const tokens = useTokens().data ?? [];
  const make = useNewToken();
  const end = useEndToken();
  const complain = useComplaint();
  const [name, setName] = useState("");
  const [days, setDays] = useState(90);
  return (
    <section aria-label="Tokens">
      <Typography.Title level={5}>Tokens for scripts and farms</Typography.Title>
      <p className="small">
        A script that sends <code>Authorization: Bearer …</code> may do what you may.
      </p>
      {tokens.map((token) => (
        <Flex key={token.id} gap={10} align="center" className="small">
          <strong>{token.name}</strong>
          <span className="faded">
            until <Moment at={token.expires} />, last used <Moment at={token.seen} />
          </span>
          <Button
            size="small"
            className="end"
            aria-label={`End ${token.name}`}
            onClick={() => end.mutate(token.id, { onError: complain })}
          >
            End it
          </Button>
        </Flex>
      ))}
      <Flex gap={8} align="center">
        <Input
          aria-label="What the token is for"
          placeholder="what it is for"
          maxLength={80}
          value={name}
          onChange={(event) => setName(event.target.value)}
        />
        <InputNumber
          aria-label="Days that it lasts"
          min={1}
          max={366}
          value={days}
          onChange={(to) => setDays(to ?? 90)}
          suffix="days"
          className="field-with-unit"
        />
        <Button
          disabled={name.trim() === ""}
          loading={make.isPending}
          onClick={() => make.mutate({ name, days }, { onSuccess: () => setName(""), onError: complain })}
        >
          Make one
        </Button>
      </Flex>
      {make.data !== undefined && (
        <Alert
          type="info"
          title="Copy it now: it is not shown again."
          description={
            <Typography.Text copyable={{ text: make.data.secret }} code>
              {make.data.secret}
            </Typography.Text>
          }
        />
      )}
    </section>
  );
}
