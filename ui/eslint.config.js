import a11y from "eslint-plugin-jsx-a11y";
import hooks from "eslint-plugin-react-hooks";
import tseslint from "typescript-eslint";

export default tseslint.config(
  { ignores: ["src/client/schema.gen.ts"] },
  ...tseslint.configs.recommended,
  a11y.flatConfigs.recommended,
  { plugins: { "react-hooks": hooks }, rules: { "react-hooks/rules-of-hooks": "error", "react-hooks/exhaustive-deps": "error", "jsx-a11y/no-autofocus": "off", "jsx-a11y/label-has-associated-control": ["error", { assert: "either", depth: 3 }] } },
);
