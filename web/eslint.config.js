import hooks from "eslint-plugin-react-hooks";
import tseslint from "typescript-eslint";

// What takes half of the linter's time runs in the long suite: the compiler's rules for components, and uses of what is deprecated.
const LONG = process.env.FENRAIN_TESTS === "long";
const compiled = Object.keys(hooks.configs.recommended.rules).filter((rule) => !/rules-of-hooks|exhaustive-deps/.test(rule));
const atLength = [...compiled, "@typescript-eslint/no-deprecated"];

export default tseslint.config(
  { ignores: ["dist", "src/api/schema.d.ts"] },
  ...tseslint.configs.strictTypeChecked,
  { languageOptions: { parserOptions: { project: "./tsconfig.json" } } },
  { plugins: { "react-hooks": hooks }, rules: { ...hooks.configs.recommended.rules, "react-hooks/incompatible-library": "off" } },
  { rules: { "@typescript-eslint/restrict-template-expressions": ["error", { allowNumber: true }], "@typescript-eslint/no-confusing-void-expression": "off" } },
  ...(LONG ? [] : [{ rules: Object.fromEntries(atLength.map((rule) => [rule, "off"])) }]),
  { files: ["**/*.js"], ...tseslint.configs.disableTypeChecked },
);
