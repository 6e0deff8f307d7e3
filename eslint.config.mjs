import next from "eslint-config-next/core-web-vitals";
import tseslint from "typescript-eslint";

/** Functions whose last bits differ between JavaScript engines; `core/math.ts` has its own. */
const ENGINE_DEPENDENT = [
  "sin",
  "cos",
  "tan",
  "asin",
  "acos",
  "atan",
  "atan2",
  "sinh",
  "cosh",
  "tanh",
  "exp",
  "expm1",
  "log",
  "log2",
  "log10",
  "log1p",
  "pow",
  "cbrt",
  "hypot",
  "random",
];

/** Words that a reader has to translate: they hide who does what, and how much. */
const VAGUE = /\b(whoever|nobody|somebody|so manieth|be it|comes? to nothing|came to nothing)\b/i;

/** Refuses vague words in comments, labels and messages. */
const plainWords = {
  rules: {
    vague: {
      meta: { type: "problem", schema: [] },
      create: ({ sourceCode, report }) => ({
        Program: () =>
          sourceCode.lines.forEach((line, i) => {
            const [word] = VAGUE.exec(line) ?? [];
            if (word === undefined) return;
            const start = { line: i + 1, column: line.search(VAGUE) };
            report({ loc: { start, end: start }, message: `"${word}": say who, what or how much.` });
          }),
      }),
    },
  },
};

export default tseslint.config(
  {
    ignores: [
      ".readers/",
      "node_modules/**",
      ".next*/**",
      "dist/**",
      "next-env.d.ts",
      "server/db/migrations/**",
      "core/kernels/assembly/**",
      "core/kernels/wasm.gen.ts",
      "test-results/**",
    ],
  },
  ...next,
  ...tseslint.configs.strict,
  {
    rules: {
      "@typescript-eslint/consistent-type-imports": [
        "error",
        { fixStyle: "separate-type-imports", prefer: "type-imports" },
      ],
      "@typescript-eslint/no-non-null-assertion": "error",
      "@typescript-eslint/no-unused-vars": ["error", { argsIgnorePattern: "^_" }],
      "@typescript-eslint/no-dynamic-delete": "off",
      "no-console": "error",
      eqeqeq: "error",
      // Prettier wraps code; this holds comments and text between tags to the same width.
      "max-len": [
        "error",
        { code: 120, ignoreStrings: true, ignoreTemplateLiterals: true, ignoreRegExpLiterals: true },
      ],
    },
  },
  {
    ignores: ["eslint.config.mjs"],
    plugins: { "plain-words": plainWords },
    rules: { "plain-words/vague": "error" },
  },
  {
    // More of either needs a reason where it stands.
    ignores: ["**/*.test.ts", "tests/**", "core/testing/**"],
    rules: {
      "max-lines": ["error", { max: 400 }],
      "max-lines-per-function": ["error", { max: 120 }],
    },
  },
  {
    files: ["**/*.tsx"],
    ignores: ["tests/**"],
    rules: { "max-lines-per-function": ["error", { max: 150 }] },
  },
  {
    files: ["core/**/*.ts"],
    ignores: ["**/*.test.ts", "core/testing/**"],
    rules: {
      "no-restricted-properties": [
        "error",
        ...ENGINE_DEPENDENT.map((property) => ({
          object: "Math",
          property,
          message: "Differs between engines: use core/math or core/random.",
        })),
      ],
      "no-restricted-syntax": [
        "error",
        {
          selector: "BinaryExpression[operator='**']",
          message:
            "Differs between engines: use pow of core/math, or multiply. Whole powers of two may be written out.",
        },
        { selector: "AssignmentExpression[operator='**=']", message: "Differs between engines: use pow of core/math." },
        {
          selector: "NewExpression[callee.name='Date'], MemberExpression[object.name='Date']",
          message: "There is no clock in the core.",
        },
      ],
    },
  },
  { files: ["scripts/**", "worker/**", "server/**", "tests/**", "app/**/error.tsx"], rules: { "no-console": "off" } },
  {
    files: ["tests/**"],
    rules: {
      "no-restricted-properties": [
        "error",
        { property: "waitForTimeout", message: "Wait for what is to be seen; where time is the point, use pass()." },
      ],
    },
  },
  // What readers and writers of others tell has no types of ours.
  { files: ["**/*.cjs"], rules: { "@typescript-eslint/no-require-imports": "off" } },
  { files: ["tests/interop/session-*.test.ts"], rules: { "@typescript-eslint/no-explicit-any": "off" } },
  { files: ["**/*.test.ts", "tests/**"], rules: { "@typescript-eslint/no-non-null-assertion": "off" } },
);
