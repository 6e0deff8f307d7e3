import { xmlText } from "../formats/xml/text";
import { sayChanges } from "../words/changes";
import { formatTap } from "../words/delivered";
import { formatNumber } from "../words/numbers";
import type { FileOnSheet, SheetFacts } from "./facts";
import { outlineOf } from "./outline";
import { channelsText, liningUp, summary } from "./sentences";

/** Points that a small waveform is drawn from. */
const WAVE_POINTS = 240;
const WAVE_HEIGHT = 32;

/**
 * The sheet of a delivery as a page of its own: well-formed as XML and as HTML, without a script and without anything
 * from a network, so that it opens wherever a package ends up.
 */
export function sheetPage(sheet: SheetFacts): string {
  return `<!DOCTYPE html>
<html lang="en" xmlns="http://www.w3.org/1999/xhtml">
<head>
<meta charset="utf-8"/>
<meta name="viewport" content="width=device-width, initial-scale=1"/>
<meta http-equiv="Content-Security-Policy" content="default-src 'none'; style-src 'unsafe-inline'"/>
<title>${xmlText(sheet.song)}: stem sheet</title>
<style>${STYLE}</style>
</head>
<body>
<main>
<header>
<p class="kind">Stem sheet</p>
<h1>${xmlText(sheet.song)}</h1>
<p>${xmlText(summary(sheet))}</p>
</header>
${notes(sheet.notes)}
<section>
<h2>Lining up</h2>
<p>${xmlText(liningUp(sheet))}</p>
</section>
${sheet.changes ? section("Since the last package", sayChanges(sheet.changes)) : ""}
<section>
<h2>Files</h2>
<table>
<thead><tr><th scope="col">File</th><th scope="col">Sound</th><th scope="col" class="n">LUFS</th>
<th scope="col" class="n">dBTP</th></tr></thead>
<tbody>
${sheet.files.map((f) => row(f)).join("\n")}
</tbody>
</table>
</section>
<div class="maps">
${map("Tempo", sheet.tempo)}
${map("Meter", sheet.meter)}
${sheet.markers.length > 0 ? map("Markers", sheet.markers, "Name") : ""}
</div>
<footer><p>${sheet.frames} frames${sheet.ends === "trimmed" ? " at most" : ""} a file. Hashes are in SHA256SUMS, everything for programs in manifest.json. Made with
Stemzo.</p></footer>
</main>
</body>
</html>
`;
}

const section = (title: string, sentences: readonly string[]): string =>
  `<section>\n<h2>${title}</h2>\n${sentences.map((s) => `<p>${xmlText(s)}</p>`).join("\n")}\n</section>`;

const notes = (text: string): string => (text.trim() === "" ? "" : section("Notes", text.trim().split(/\n+/)));

function row(file: FileOnSheet): string {
  const isItsOnly = file.sources.length === 0 || (file.sources.length === 1 && file.sources[0] === file.title);
  const made = isItsOnly ? "" : ` Made of ${xmlText(file.sources.join(", "))}.`;
  const level = (value: number | null) =>
    value === null || !Number.isFinite(value) ? "silent" : formatNumber(value, 1);
  return `<tr><th scope="row">${xmlText(file.name)}<p>${channelsText(file)}: ${formatTap(file.tap, file.isReturn)}.${made}</p></th>
<td>${wave(file)}</td><td class="n">${level(file.measures.lufs)}</td><td class="n">${level(file.measures.truePeakDb)}</td></tr>`;
}

/** The file's outline, as high as its loudest place is: its highest values from left to right and its lowest back. */
function wave({ overview, title }: FileOnSheet): string {
  const spans = outlineOf(overview, WAVE_POINTS);
  const y = (value: number) => (WAVE_HEIGHT / 2 - value * (WAVE_HEIGHT / 2 - 1)).toFixed(1);
  const x = (p: number) => ((p * WAVE_POINTS) / spans.length).toFixed(0);
  const high = spans.map(({ most }, p) => `${x(p)} ${y(most)}`);
  const low = spans.map(({ least }, p) => `${x(p)} ${y(least)}`).reverse();
  const outline = spans.length === 0 ? "" : `<path d="M${[...high, ...low].join("L")}Z"/>`;
  return `<svg viewBox="0 0 ${WAVE_POINTS} ${WAVE_HEIGHT}" preserveAspectRatio="none" role="img" aria-label="${xmlText(`Sound of ${title}`)}">\
<path class="zero" d="M0 ${WAVE_HEIGHT / 2}H${WAVE_POINTS}"/>${outline}</svg>`;
}

const map = (title: string, places: SheetFacts["tempo"], what = title): string => `<section>
<h2>${title}</h2>
<table>
<thead><tr><th scope="col">Bar</th><th scope="col">Time in the files</th><th scope="col">${what}</th></tr></thead>
<tbody>
${places
  .map((p) => `<tr><td class="n">${p.position}</td><td class="n">${p.clock}</td><td>${xmlText(p.text)}</td></tr>`)
  .join("\n")}
</tbody>
</table>
</section>`;

/** Ink on paper, as the program itself; it prints as it is shown. */
const STYLE = `
:root { color: #16211b; background: #f6f7f1; font: 15px/1.45 system-ui, sans-serif; }
body { margin: 0; }
main { max-width: 60rem; margin: 0 auto; padding: 2.5rem 1.5rem 3rem; }
h1 { margin: 0; font-size: 2.25rem; line-height: 1.1; }
h2 { margin: 2rem 0 0.5rem; font-size: 1rem; color: #1b6549; }
p { margin: 0.4rem 0 0; max-width: 46rem; }
.kind { margin: 0 0 0.2rem; color: #1b6549; font-weight: 600; }
table { width: 100%; border-collapse: collapse; }
th, td { padding: 0.45rem 0.75rem 0.45rem 0; border-top: 1px solid #ccd3c9; text-align: left; vertical-align: top; }
thead th { border-top: 0; color: #4b5850; font-size: 0.8rem; font-weight: 600; }
tbody th { font-weight: 600; overflow-wrap: anywhere; }
tbody th p { color: #4b5850; font-size: 0.85rem; font-weight: 400; }
.n { font-variant-numeric: tabular-nums; white-space: nowrap; }
th.n, td.n:nth-last-child(-n + 2):not(.maps *) { text-align: right; padding-right: 0; padding-left: 0.75rem; }
svg { display: block; width: 15rem; height: 2rem; fill: #1b6549; }
svg .zero { fill: none; stroke: #ccd3c9; }
.maps { display: grid; grid-template-columns: repeat(auto-fit, minmax(16rem, 1fr)); gap: 0 2rem; }
footer { margin-top: 2rem; border-top: 1px solid #ccd3c9; color: #4b5850; font-size: 0.85rem; }
@media (max-width: 40rem) { svg { width: 8rem; } }
@media print { :root { background: none; } tr { break-inside: avoid; } }
`;
