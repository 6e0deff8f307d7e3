import { DRUM_BANK } from "./presets";

/**
 * Programs by words that instruments and tracks are named with, the more telling ones first: the first of the group of
 * programs that General MIDI 1 puts such instruments in, counted from 0. 128 is the bank of drums.
 */
const WORDS: readonly (readonly [words: RegExp, program: number | "drums"])[] = [
  [/\b(drum|drums|kit|percussion|perc|beats?|kick|snare|hats?|toms?|cymbals?)\b/, "drums"],
  [/\b(bass)\b/, 33],
  [/\b(electric piano|e-?piano|epiano|tines?|reed piano)\b/, 4],
  [/\b(harpsichord|cembalo)\b/, 6],
  [/\b(clavinet|clavi)\b/, 7],
  [/\b(piano|grand|upright|keys|keyboards?)\b/, 0],
  [/\b(celesta|glockenspiel|music box)\b/, 8],
  [/\b(vibraphone|vibes)\b/, 11],
  [/\b(marimba|xylophone|mallets?|bells?|chimes?)\b/, 12],
  [/\b(organ)\b/, 16],
  [/\b(accordion|harmonica|bandoneon)\b/, 21],
  [/\b(electric guitar|distort(ed|ion))\b/, 27],
  [/\b(guitars?|plucks?|gtr)\b/, 24],
  [/\b(violins?|fiddle)\b/, 40],
  [/\b(violas?)\b/, 41],
  [/\b(cello|celli|cellos)\b/, 42],
  [/\b(contrabass|double bass)\b/, 43],
  [/\b(pizzicato)\b/, 45],
  [/\b(harps?)\b/, 46],
  [/\b(timpani)\b/, 47],
  [/\b(strings?|ensemble|orchestra)\b/, 48],
  [/\b(choirs?|voices?|vox|vocals?|aahs?|oohs?)\b/, 52],
  [/\b(trumpets?)\b/, 56],
  [/\b(trombones?)\b/, 57],
  [/\b(tubas?)\b/, 58],
  [/\b(french horns?|horns?)\b/, 60],
  [/\b(brass)\b/, 61],
  [/\b(sax|saxes|saxophones?)\b/, 65],
  [/\b(oboes?)\b/, 68],
  [/\b(bassoons?)\b/, 70],
  [/\b(clarinets?)\b/, 71],
  [/\b(piccolo)\b/, 72],
  [/\b(flutes?|winds?|woodwinds?)\b/, 73],
  [/\b(leads?|solo synth)\b/, 80],
  [/\b(pads?|atmos|ambient|drones?)\b/, 88],
  [/\b(sitar)\b/, 104],
];

/** The program whose group the names speak of, the first name first; the first program, a piano, where none does. */
export function programByName(...names: readonly string[]): { readonly bank: number; readonly program: number } {
  for (const name of names) {
    const words = name
      .normalize("NFKD")
      // Names run together: "GrandPiano2", "Bass_01".
      .replaceAll(/([a-z])([A-Z])/g, "$1 $2")
      .replaceAll(/[_\d]+/g, " ")
      .toLowerCase();
    const found = WORDS.find(([pattern]) => pattern.test(words));
    if (found) return found[1] === "drums" ? { bank: DRUM_BANK, program: 0 } : { bank: 0, program: found[1] };
  }
  return { bank: 0, program: 0 };
}
