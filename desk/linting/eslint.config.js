// The rules for page code; formatting goes by its neighbours, lines end at 120.
import js from "@eslint/js";
import globals from "globals";

export default [
  js.configs.recommended,
  {
    languageOptions: { ecmaVersion: "latest", sourceType: "module", globals: globals.browser },
    rules: {
      eqeqeq: "error",
      "max-len": ["error", { code: 120 }],
      "no-shadow": "error",
      "no-unused-vars": ["error", { args: "none", ignoreRestSiblings: true, varsIgnorePattern: "^_", destructuredArrayIgnorePattern: "^_" }],
      "no-var": "error",
      "prefer-const": "error",
    },
  },
];
