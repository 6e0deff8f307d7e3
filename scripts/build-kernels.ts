import { mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import asc from "assemblyscript/asc";

const ROOT = join(import.meta.dirname, "..");
const TARGET = join(ROOT, "core/kernels/wasm.gen.ts");

/** Compiles the kernels and returns the TypeScript file that carries them. */
export async function compileKernels(): Promise<string> {
  const folder = mkdtempSync(join(tmpdir(), "stemzo-kernels-"));
  try {
    const out = join(folder, "kernels.wasm");
    const { error, stderr } = await asc.main([
      join(ROOT, "core/kernels/assembly/kernels.ts"),
      "--outFile",
      out,
      "--runtime",
      "stub",
      "--enable",
      "simd",
      "--importMemory",
      "--noAssert",
      "-O3",
      "--noExportMemory",
      "--use",
      "abort=",
    ]);
    if (error) throw new Error(`The kernels do not compile: ${stderr.toString()}`);
    return `/** Made by \`npm run kernels\` from assembly/kernels.ts; a test holds it to that. */\nexport const KERNELS = "${readFileSync(out).toString("base64")}";\n`;
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}

export const readKernels = (): string => readFileSync(TARGET, "utf8");

if (process.argv[1] === import.meta.filename) writeFileSync(TARGET, await compileKernels());
