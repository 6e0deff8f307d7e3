import { z } from "zod";
import type { Operation, OperationName } from "../../contract/operations";
import { addressOf, operations } from "../../contract/operations";

type Json = Record<string, unknown>;

/** Schemas that refer to themselves, each once, under names of the document's own. */
class Components {
  readonly schemas: Record<string, Json> = {};
  private readonly names = new Map<string, string>();

  /**
   * The JSON Schema of one of ours. What refers to itself moves here: a reference is looked up from the root of the
   * whole document (OpenAPI 3.1.0, 4.8.24.1).
   */
  schemaOf(schema: z.ZodType, io: "input" | "output"): Json {
    const { $defs = {}, ...made } = z.toJSONSchema(schema, {
      io,
      unrepresentable: "any",
      override: ({ jsonSchema }) => alike(jsonSchema),
    });
    const names = new Map<string, string>();
    for (const name of Object.keys($defs)) {
      // With all the others: what it refers to is a part of what it is.
      const text = JSON.stringify([name, $defs]);
      const component = this.names.get(text) ?? `part${this.names.size + 1}`;
      this.names.set(text, component);
      names.set(name, component);
    }
    for (const [name, part] of Object.entries($defs))
      this.schemas[names.get(name) ?? name] ??= renamed(part, names) as Json;
    return renamed(made, names) as Json;
  }
}

/** A tuple whose places are all alike is told as a list of so many: not every reader of OpenAPI knows tuples. */
function alike(schema: Json): void {
  const { prefixItems } = schema as { prefixItems?: readonly unknown[] };
  if (!prefixItems || new Set(prefixItems.map((p) => JSON.stringify(p))).size !== 1) return;
  schema["items"] = prefixItems[0];
  delete schema["prefixItems"];
}

function renamed(part: unknown, names: ReadonlyMap<string, string>): unknown {
  if (Array.isArray(part)) return part.map((p) => renamed(p, names));
  if (typeof part !== "object" || part === null) return part;
  return Object.fromEntries(
    Object.entries(part).map(([key, value]) => [
      key,
      key === "$ref" && typeof value === "string"
        ? value.replace(/^#\/\$defs\/(.*)$/, (_, name: string) => `#/components/schemas/${names.get(name) ?? name}`)
        : renamed(value, names),
    ]),
  );
}

const BYTES = { schema: { type: "string", format: "binary" } };

/** The OpenAPI 3.1 document of the HTTP interface, made from the schemas the routes parse with. */
export function openApi(): object {
  const components = new Components();
  const paths: Record<string, Record<string, object>> = {};
  for (const [name, operation] of Object.entries(operations)) {
    const { method, path } = addressOf(name as OperationName);
    (paths[path] ??= {})[method.toLowerCase()] = describe(path, method, operation, components);
  }
  return {
    openapi: "3.1.0",
    info: {
      title: "Stemzo",
      version: "1",
      description:
        "Sessions, prints, stems and their proof. Musical time is in ticks, 960 to a quarter note; audio time in frames.",
    },
    paths,
    components: { schemas: components.schemas },
  };
}

function describe(
  path: string,
  method: string,
  { summary, query, body, answers }: Operation,
  components: Components,
): object {
  return {
    operationId: `${method.toLowerCase()}${path
      .replace(/^\/api/, "")
      .replace(/[{}]/g, "")
      .replace(/[/.](\w)/g, (_, c: string) => c.toUpperCase())}`,
    summary,
    parameters: [
      ...[...path.matchAll(/\{(\w+)\}/g)].map(([, name]) => ({
        name,
        in: "path",
        required: true,
        schema: { type: "string" },
      })),
      ...Object.entries(query?.shape ?? {}).map(([name, field]) => ({
        name,
        in: "query",
        description: (field as z.ZodType).description ?? "",
        required: !(field as z.ZodType).safeParse(undefined).success,
        schema: components.schemaOf(field as z.ZodType, "output"),
      })),
    ],
    ...(body === undefined
      ? {}
      : {
          requestBody: {
            required: true,
            content:
              body === "audio/wav"
                ? { "application/octet-stream": BYTES, "audio/wav": BYTES }
                : { "application/json": { schema: components.schemaOf(body, "input") } },
          },
        }),
    responses: Object.fromEntries(
      Object.entries(answers).map(([status, { means, media, schema }]) => [
        status,
        {
          description: means,
          content: {
            [media]: { schema: schema ? components.schemaOf(schema, "output") : { type: "string", format: "binary" } },
          },
        },
      ]),
    ),
  };
}
