import { Input, type GetProps } from "antd";

/** A password, which can be shown by a control that is large enough to be hit. */
export function PasswordField(props: GetProps<typeof Input.Password>) {
  return (
    <Input.Password
      {...props}
      iconRender={(shown) => (
        <span className="show-password small" aria-label={shown ? "Hide what is typed" : "Show what is typed"}>
          {shown ? "hide" : "show"}
        </span>
      )}
    />
  );
}
