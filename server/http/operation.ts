import type { z } from "zod";
import type {
  AnswerAt,
  AnswerOf,
  BodyOf,
  Operation,
  OperationName,
  ParamsOf,
  QueryOf,
} from "../../contract/operations";
import { operations } from "../../contract/operations";
import { JSON_BYTES, LARGE_JSON_BYTES } from "../limits";
import { answer } from "./answer";
import { limitedText, parseBody, queryOf } from "./body";
import { carryOutLarge, readLarge } from "./large";

/** What a route is given: everything in it has been checked. */
interface Given<N extends OperationName> {
  readonly request: Request;
  readonly params: ParamsOf<N>;
  readonly body: BodyOf<N>;
  readonly query: QueryOf<N>;
}

/** An answer other than the usual one: another status, or headers. */
class Reply {
  constructor(
    readonly value: unknown,
    readonly init: ResponseInit,
  ) {}
}

export const reply = <N extends OperationName, S extends number>(
  _name: N,
  status: S,
  value: AnswerAt<N, S>,
  headers: Readonly<Record<string, string>> = {},
): Reply => new Reply(value, { status, headers });

/**
 * Makes a route of an operation: reads and checks what it takes, does the work, and answers as the operation says.
 * `work` gives the answer's value, a `reply`, or a whole response where the answer is not JSON. With
 * STEMZO_CHECK_ANSWERS set, as in tests, every answer is held to the published schema.
 */
export function route<N extends OperationName>(
  name: N,
  work: (given: Given<N>) => Promise<AnswerOf<N> | Reply | Response>,
): ReturnType<typeof answer> {
  const operation: Operation = operations[name];
  const { open = false } = operation;
  const usual = Number(Object.keys(operation.answers).find((status) => status.startsWith("2")));
  return answer(
    async (request, params) => {
      const { body, query, takes = "usual" } = operation;
      const takesJson = body !== undefined && body !== "audio/wav";
      const text = takesJson ? await limitedText(request, JSON_BYTES[takes]) : "";
      if (takes === "document" && text.length > LARGE_JSON_BYTES) return carryOutLarge(name, text);
      const made = await work({
        request,
        params: params as ParamsOf<N>,
        body: (takesJson
          ? text.length > LARGE_JSON_BYTES
            ? await readLarge(name, text)
            : parseBody(text, body)
          : undefined) as BodyOf<N>,
        query: (query ? queryOf(request, query) : undefined) as QueryOf<N>,
      });
      if (made instanceof Response) return made;
      const { value, init } = made instanceof Reply ? made : { value: made, init: { status: usual } };
      const response = Response.json(value, init);
      if (process.env["STEMZO_CHECK_ANSWERS"])
        holdTo(name, operation.answers[response.status]?.schema, await response.clone().json());
      return response;
    },
    { open },
  );
}

/** Throws where an answer is not what is published. */
function holdTo(name: OperationName, schema: z.ZodType | undefined, value: unknown): void {
  const parsed = schema?.safeParse(value);
  if (!parsed) throw new Error(`${name} answers with a status that is not published`);
  if (parsed.success) return;
  const [issue] = parsed.error.issues;
  throw new Error(`${name} answers otherwise than published: ${issue?.path.join(".") ?? ""} ${issue?.message ?? ""}`);
}
