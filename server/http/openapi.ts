import { z } from "zod";
import type { Operation, OperationName } from "../../contract/operations";
import { addressOf, operations } from "../../contract/operations";

const schemaOf = (schema: z.ZodType, io: "input" | "output") => z.toJSONSchema(schema, { io, unrepresentable: "any" });

/** The OpenAPI 3.1 document of the HTTP interface, made from the schemas the routes parse with. */
export function openApi(): object {
  const paths: Record<string, Record<string, object>> = {};
  for (const [name, operation] of Object.entries(operations)) {
    const { method, path } = addressOf(name as OperationName);
    (paths[path] ??= {})[method.toLowerCase()] = describe(path, method, operation);
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
  };
}

function describe(path: string, method: string, { summary, query, body, answers }: Operation): object {
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
        schema: schemaOf(field as z.ZodType, "output"),
      })),
    ],
    ...(body === undefined
      ? {}
      : {
          requestBody: {
            required: true,
            content:
              body === "audio/wav"
                ? { "audio/wav": { schema: { type: "string", format: "binary" } } }
                : { "application/json": { schema: schemaOf(body, "input") } },
          },
        }),
    responses: Object.fromEntries(
      Object.entries(answers).map(([status, { means, media, schema }]) => [
        status,
        {
          description: means,
          content: { [media]: { schema: schema ? schemaOf(schema, "output") : { type: "string", format: "binary" } } },
        },
      ]),
    ),
  };
}
