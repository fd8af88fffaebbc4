// What ./check asks of the pages' scripts and their tests.
import js from "@eslint/js";
import globals from "globals";

export default [
  js.configs.recommended,
  {
    files: ["src/orvix_web/static/orvix/**/*.js"],
    languageOptions: {
      ecmaVersion: 2024,
      sourceType: "module",
      globals: { ...globals.browser, Alpine: "readonly", htmx: "readonly" },
    },
  },
  {
    files: ["tests/js/**/*.js", "eslint.config.js"],
    languageOptions: { ecmaVersion: 2024, sourceType: "module", globals: { ...globals.node, ...globals.browser } },
  },
  {
    rules: {
      curly: ["error", "multi-line"],
      eqeqeq: "error",
      "no-shadow": "error",
      "no-unused-vars": ["error", { argsIgnorePattern: "^_", varsIgnorePattern: "^_" }],
      "no-use-before-define": ["error", { functions: false, classes: false }],
      "no-var": "error",
      "prefer-const": "error",
    },
  },
];
