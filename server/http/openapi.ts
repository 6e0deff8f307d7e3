import { z } from "zod";
import type { Operation } from "../../contract/operations";
import { operations } from "../../contract/operations";

const schemaOf = (schema: z.ZodType, io: "input" | "output") => z.toJSONSchema(schema, { io, unrepresentable: "any" });

/** The OpenAPI 3.1 document of the HTTP interface, made from the schemas the routes parse with. */
export function openApi(): object {
  const paths: Record<string, Record<string, object>> = {};
  for (const operation of operations) (paths[operation.path] ??= {})[operation.method] = describe(operation);
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

function describe({ path, method, summary, query, body, answers }: Operation): object {
  return {
    operationId: `${method}${path
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
      ...Object.entries(query ?? {}).map(([name, description]) => ({
        name,
        in: "query",
        description,
        schema: { type: "string" },
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
