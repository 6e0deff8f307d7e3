import { Readable } from "node:stream";
import type { z } from "zod";
import { schemaProblems } from "../../core/session/problem";
import { Refusal, invalid } from "../fault";
import { MOST_DEEP } from "../limits";

/** Escapes of what cannot be stored: a zero, and halves of characters, which may be whole pairs. */
const SUSPICIOUS = /\\u(0000|d[89a-f])/i;

/** What is sent although it was refused is read for so long, and so much of it. */
const DISCARD_MS = 60_000;
const DISCARD_BYTES = 1 << 30;

/** Bodies that are read, or were handed out to be read. */
const bodies = new WeakMap<Request, Readable>();

/**
 * A request's body. A reader may stop early; the rest is read and discarded: a body that
 * is not read to its end holds up whatever is asked behind it over the same connection, until that is cut off.
 */
export function bodyStream(request: Request): Readable {
  const reader = request.body?.getReader();
  if (!reader) return Readable.from([]);
  const body = new Readable({
    read() {
      reader.read().then(
        ({ done, value }) => this.push(done ? null : value),
        (error: unknown) => this.destroy(error as Error),
      );
    },
    destroy(error, done) {
      void discard(reader);
      done(error);
    },
  });
  bodies.set(request, body);
  return body;
}

/** After an answer: the unread rest of the body is read and discarded. */
export function letGoOfBody(request: Request): void {
  const body = bodies.get(request);
  if (body) body.destroy();
  else if (request.body && !request.body.locked) bodyStream(request).destroy();
}

async function discard(reader: ReadableStreamDefaultReader<Uint8Array>): Promise<void> {
  const until = performance.now() + DISCARD_MS;
  try {
    for (let bytes = 0; bytes < DISCARD_BYTES && performance.now() < until;) {
      const { done, value } = await reader.read();
      if (done) return;
      bytes += value.length;
    }
    await reader.cancel();
  } catch {
    // The sender has disconnected: no request waits behind it.
  }
}

/** How many bytes a request says that it has; null where it does not. */
export function sizeOf(request: Request): number | null {
  const said = Number(request.headers.get("content-length") ?? NaN);
  return Number.isSafeInteger(said) && said >= 0 ? said : null;
}

/** A request's body as text; refused as soon as it is longer than `mostBytes`. */
export async function limitedText(request: Request, mostBytes: number): Promise<string> {
  const parts: Uint8Array[] = [];
  let size = 0;
  for await (const part of bodyStream(request)) {
    size += (part as Buffer).length;
    if (size > mostBytes)
      throw new Refusal(413, {
        what: `The request is larger than ${mostBytes >> 20} MB.`,
        kept: "Nothing was changed.",
        todo: "Send audio to /api/audio or /api/uploads, and many steps in several requests.",
        problems: [],
      });
    parts.push(part as Buffer);
  }
  return Buffer.concat(parts).toString("utf8");
}

/** Reads and checks a JSON body. None at all is an empty object: what it could say has a plain value. */
export function parseBody<T extends z.ZodType>(text: string, schema: T): z.infer<T> {
  refuseDeep(text);
  const value = text === "" ? {} : parseJson(text);
  if (SUSPICIOUS.test(text)) refuseUnstorable(value);
  return held(value, schema);
}

/** Reads and checks what stands behind the question mark of an address. */
export function queryOf<T extends z.ZodType>(request: Request, schema: T): z.infer<T> {
  const asked = Object.fromEntries(new URL(request.url).searchParams);
  refuseUnstorable(asked);
  return held(asked, schema);
}

function held<T extends z.ZodType>(value: unknown, schema: T): z.infer<T> {
  const parsed = schema.safeParse(value);
  if (!parsed.success) throw invalid("The request is not what this address takes.", schemaProblems(parsed.error));
  return parsed.data;
}

/** Throws where brackets stand in more brackets than anything here has. */
function refuseDeep(text: string): void {
  let depth = 0;
  let isText = false;
  for (let i = 0; i < text.length; i++) {
    const c = text.charCodeAt(i);
    if (isText) {
      if (c === BACKSLASH) i++;
      else if (c === QUOTE) isText = false;
    } else if (c === QUOTE) isText = true;
    else if (c === OPEN_BRACE || c === OPEN_BRACKET) {
      if (++depth > MOST_DEEP)
        throw invalid("The request is nested too deeply.", [
          { where: `character ${i}`, what: `is inside of more than ${MOST_DEEP} others` },
        ]);
    } else if (c === CLOSE_BRACE || c === CLOSE_BRACKET) depth--;
  }
}
const [QUOTE, BACKSLASH] = [0x22, 0x5c];
const [OPEN_BRACE, CLOSE_BRACE, OPEN_BRACKET, CLOSE_BRACKET] = [0x7b, 0x7d, 0x5b, 0x5d];

/** Throws where a text holds what the database cannot keep: the character U+0000, or half of a character. */
function refuseUnstorable(value: unknown, where = ""): void {
  if (typeof value === "string") {
    if (!value.includes("\0") && !/\p{Surrogate}/u.test(value)) return;
    throw invalid("The request holds what cannot be stored.", [
      { where, what: "has the character U+0000, or half of a character, in it" },
    ]);
  }
  if (typeof value !== "object" || value === null) return;
  for (const [key, part] of Object.entries(value)) {
    const at = Array.isArray(value) ? `${where}[${key}]` : where === "" ? key : `${where}.${key}`;
    refuseUnstorable(key, where === "" ? "a field's name" : `a field's name in ${where}`);
    refuseUnstorable(part, at);
  }
}

function parseJson(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch (error) {
    const where = /position (\d+)/.exec(error instanceof Error ? error.message : "")?.[1];
    throw new Refusal(400, {
      what: "The request is not valid JSON.",
      kept: "Nothing was changed.",
      todo: "Correct it and send it again.",
      problems: [
        {
          where: where === undefined ? "body" : `character ${where}`,
          what: error instanceof Error ? error.message : "cannot be read",
        },
      ],
    });
  }
}
