import a11y from "eslint-plugin-jsx-a11y";
import hooks from "eslint-plugin-react-hooks";
import tseslint from "typescript-eslint";

// Folders from the bottom up: each imports those before it, places never each other, and only `app` joins them.
const BELOW = ["api", "ui", "keeping", "setup"];
const PLACES = ["workbench", "report", "trials", "logbook", "markets", "shelf", "guide"];

/** What a pointer does needs a control; keys may be heard by what holds one, such as Escape by a sheet. */
const POINTER = ["onClick", "onMouseDown", "onMouseUp", "onPointerDown", "onPointerUp"];

/** A folder may not import these. */
const without = (folder, others) => ({
  files: [`src/${folder}/**`],
  rules: {
    "no-restricted-imports": [
      "error",
      {
        patterns: [
          {
            group: others.flatMap((other) => [`@/${other}`, `@/${other}/*`]),
            message: `${folder} does not know ${others.join(", ")}`,
          },
        ],
      },
    ],
  },
});

export default tseslint.config(
  { ignores: ["src/api/schema.ts", "*.js"] },
  { files: ["**/*.{ts,tsx}"], extends: [tseslint.configs.recommendedTypeChecked] },
  a11y.flatConfigs.recommended,
  {
    languageOptions: { parserOptions: { projectService: true, tsconfigRootDir: import.meta.dirname } },
    plugins: { "react-hooks": hooks },
    rules: {
      "react-hooks/rules-of-hooks": "error",
      "react-hooks/exhaustive-deps": "error",
      "jsx-a11y/no-autofocus": "off", // what opens over the page takes the focus, and gives it back
      // Lists, menus and tabs are one stop; their keys stand at the whole, where these rules do not look.
      "jsx-a11y/interactive-supports-focus": "off",
      "jsx-a11y/click-events-have-key-events": "off",
      "jsx-a11y/no-static-element-interactions": ["error", { handlers: POINTER }],
      "jsx-a11y/no-noninteractive-element-interactions": ["error", { handlers: POINTER }],
      "jsx-a11y/no-noninteractive-tabindex": [
        "error",
        { tags: ["aside"], roles: ["region", "complementary", "application"] },
      ],
      "jsx-a11y/label-has-associated-control": ["error", { controlComponents: ["Picker", "NumberField"] }],
    },
  },
  ...BELOW.map((folder, place) => without(folder, [...BELOW.slice(place + 1), ...PLACES, "app"])),
  ...PLACES.map((folder) => without(folder, [...PLACES.filter((other) => other !== folder), "app"])),
  {
    files: ["src/**"],
    ignores: ["src/api/**"],
    rules: {
      "no-restricted-globals": ["error", "fetch", "WebSocket", "EventSource", "XMLHttpRequest"].map((name) =>
        name === "error" ? name : { name, message: "only api speaks with the server" },
      ),
    },
  },
);
