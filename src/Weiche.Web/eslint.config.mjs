// What scripts are held to (ScriptsTests): no name that nothing has, that nobody uses, or that means two things.
import js from "@eslint/js";
import globals from "globals";

export default [
  { ignores: ["wwwroot/lib/**", "bin/**", "obj/**"] },
  js.configs.recommended,
  {
    linterOptions: { reportUnusedDisableDirectives: "error" },
    rules: {
      eqeqeq: "error",
      "no-shadow": "error",
      "no-var": "error",
      "no-self-compare": "error",
      "no-promise-executor-return": "error",
      "no-useless-assignment": "error",
      "prefer-const": ["error", { destructuring: "all" }],
    },
  },
  { files: ["wwwroot/js/**"], languageOptions: { globals: { ...globals.browser, htmx: "readonly", signalR: "readonly" } } },
  { files: ["*.mjs"], languageOptions: { globals: globals.node } },
];
