import { Alert, Button, Flex, Form, Input, Typography } from "antd";
import { useEffect, useRef, useState } from "react";
import { useLocation, useNavigate } from "react-router";
import { useSignIn } from "../../api/people";
import { explain } from "../../parts/Failure";
import { PasswordField } from "../../parts/PasswordField";
import "./entrance.css";

const ENTER = "/enter";

/** Where one signs in: by the one-time link of an address, or by name and password. */
export function EntranceScreen() {
  const signIn = useSignIn();
  const link = useLinkOfAddress();
  const begun = useRef(false);
  useEffect(() => {
    if (link === "" || begun.current) return;
    begun.current = true;
    signIn.mutate({ link });
  }, [link, signIn]);
  return (
    <main className="entrance">
      <Typography.Title level={1} className="wordmark">
        fen<span>rain</span>
      </Typography.Title>
      {signIn.error !== null && <Alert type="warning" showIcon title={explain(signIn.error)} role="alert" />}
      <Form
        layout="vertical"
        requiredMark={false}
        onFinish={(given: { name: string; password: string }) => signIn.mutate(given)}
      >
        <Form.Item name="name" label="Name" rules={[{ required: true, message: "Your name." }]}>
          <Input autoComplete="username" autoFocus />
        </Form.Item>
        <Form.Item name="password" label="Password" rules={[{ required: true, message: "Your password." }]}>
          <PasswordField autoComplete="current-password" />
        </Form.Item>
        <Button type="primary" htmlType="submit" loading={signIn.isPending} block>
          Sign in
        </Button>
      </Form>
      <Flex vertical gap={6} className="small faded">
        <span>
          The first time, open the one-time link that whoever started Fenrain was shown, or that a supervisor made for
          you.
        </span>
        <span>
          On the server’s machine, <code>fenrain enter NAME</code> prints a new one.
        </span>
      </Flex>
    </main>
  );
}

/** The secret of a one-time link, which stands behind the # so that no server's log holds it; it is taken out of the address at once. */
function useLinkOfAddress(): string {
  const { pathname, hash } = useLocation();
  const navigate = useNavigate();
  const [link] = useState(pathname === ENTER ? hash.slice(1) : "");
  useEffect(() => {
    if (pathname === ENTER) void navigate("/", { replace: true });
  }, [pathname, navigate]);
  return link;
}
