// What the scripts of the pages are held to: `make lint` runs it where there is node.
import js from "@eslint/js";
import globals from "globals";

export default [
  {
    files: ["src/mesotrope/web/scripts/*.js"],
    ...js.configs.recommended,
    languageOptions: { ecmaVersion: 2024, sourceType: "module", globals: globals.browser },
    rules: {
      ...js.configs.recommended.rules,
      curly: ["error", "multi-line"], eqeqeq: "error", "no-implicit-globals": "error", "no-shadow": "error",
      "no-use-before-define": ["error", { functions: false, variables: false }], "no-var": "error",
      "object-shorthand": "error", "prefer-const": "error", "max-len": ["error", { code: 130 }],
    },
  },
  { files: ["src/mesotrope/web/scripts/device-worker.js"], languageOptions: { globals: globals.serviceworker } },
];
