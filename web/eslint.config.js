import hooks from "eslint-plugin-react-hooks";
import tseslint from "typescript-eslint";

export default tseslint.config(
  { ignores: ["dist", "src/api/schema.d.ts"] },
  ...tseslint.configs.strictTypeChecked,
  { languageOptions: { parserOptions: { project: "./tsconfig.json" } } },
  { plugins: { "react-hooks": hooks }, rules: { ...hooks.configs.recommended.rules, "react-hooks/incompatible-library": "off" } },
  { rules: { "@typescript-eslint/restrict-template-expressions": ["error", { allowNumber: true }], "@typescript-eslint/no-confusing-void-expression": "off" } },
  { files: ["**/*.js"], ...tseslint.configs.disableTypeChecked },
);
