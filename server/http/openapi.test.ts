import { expect, test } from "vitest";
import { operations } from "../../contract/operations";
import { openApi } from "./openapi";

interface Document {
  readonly paths: Record<string, Record<string, { readonly responses: object; readonly operationId: string }>>;
}
const document = JSON.parse(JSON.stringify(openApi())) as Document;

/** Every object in a document, with the way to it. */
function* parts(value: unknown, way: string): Generator<{ readonly way: string; readonly part: object }> {
  if (typeof value !== "object" || value === null) return;
  yield { way, part: value };
  for (const [key, inner] of Object.entries(value)) yield* parts(inner, `${way}/${key}`);
}

test("every reference leads somewhere, and none is left that is looked up inside of a schema", () => {
  let met = 0;
  for (const { way, part } of parts(document, "#")) {
    expect(Object.keys(part), way).not.toContain("$defs");
    const to = (part as { readonly $ref?: unknown }).$ref;
    if (typeof to !== "string") continue;
    met++;
    expect(to.startsWith("#/"), way).toBe(true);
    let found: unknown = document;
    for (const step of to.slice(2).split("/")) found = (found as Record<string, unknown> | undefined)?.[step];
    expect(found, `${way} refers to ${to}`).toBeTypeOf("object");
  }
  expect(met).toBeGreaterThan(3);
});

test("every operation is there under a name of its own, and whatever takes something says how it refuses it", () => {
  const named = Object.values(document.paths).flatMap((methods) => Object.values(methods).map((o) => o.operationId));
  expect(named.length).toBe(Object.keys(operations).length);
  expect(new Set(named).size).toBe(named.length);
  for (const [name, operation] of Object.entries(operations)) {
    const taking = "query" in operation || ("body" in operation && operation.body !== "audio/wav");
    if (taking) expect(Object.keys(operation.answers), name).toContain("422");
  }
});
