import type { SCREENS } from "../session/screens";

/** A step of the guide. `action`: an action by its id, whose label and key stand behind the words. */
export interface GuideStep {
  readonly text: string;
  readonly action?: string;
}

/** What people want to do, and how. */
export interface Chapter {
  readonly id: string;
  readonly title: string;
  /** The screen that it is about; null: all of them. */
  readonly screen: (typeof SCREENS)[number]["name"] | null;
  readonly when: string;
  readonly steps: readonly GuideStep[];
  readonly look: string;
  readonly wrong: readonly string[];
  /** A file of docs/screenshots, without its ending. */
  readonly picture: string | null;
}

/** The user's guide, in the order in which people work. */
export const CHAPTERS: readonly Chapter[] = [
  {
    id: "import",
    title: "Import",
    screen: null,
    when: "You have audio, MIDI, a folder of stems, a ZIP or a session file.",
    steps: [
      { text: "Drop audio or MIDI on the lanes, or choose files", action: "bring-in" },
      {
        text: "Drop a session file, a folder or a ZIP on the first page, or import it onto the open session",
        action: "take-in",
      },
      { text: "Read what the files are, how they line up, and what is missing, converted or lost" },
      { text: "Press Open as a session, or Place on the session" },
      { text: "Relink files that are missing, from the strip over the lanes", action: "supply" },
    ],
    look: "Every clip stands at its time stamp. The report names what the file held and the session cannot hold.",
    wrong: [
      "A file cannot be read: export it again as WAV, AIFF, FLAC, MP3, Ogg Vorbis or Opus.",
      "The tempo is stated nowhere: take the one that is heard, or type it. Half or twice of it is offered, too.",
    ],
    picture: "intake",
  },
  {
    id: "instruments",
    title: "Instruments",
    screen: "Instruments",
    when: "A MIDI file or a track of notes should sound with your own instruments.",
    steps: [
      { text: "Open Instruments", action: "go-Instruments" },
      { text: "Add SoundFonts (SF2, SF3), or a folder with SFZ files; or drop them. They are kept for all sessions" },
      { text: "Press Add track beside a preset, or drag it onto an instrument track" },
      { text: "After importing a MIDI file, press Put on … MIDI tracks: each gets the preset that it asks for" },
      {
        text: "After opening a session whose instruments are not here, press Put on … tracks: presets go by their names",
      },
      { text: "Press a key under the zones, or type 1 to 8 there: Shift sharpens, the arrows change the octave" },
    ],
    look: "Zones of what the session plays stand over keys and velocities. What sounds, for a key or while the session plays, is filled.",
    wrong: [
      "Zones are too quiet beside each other: the file was made for other players. Tick Attenuation × 0.4 and put it again.",
      "Something of a preset is not played: it is named when the preset is put on its track.",
      "A file is removed from Instruments: sessions keep what they play of it.",
    ],
    picture: "instruments",
  },
  {
    id: "edit",
    title: "Hear and edit",
    screen: "Bench",
    when: "You want to listen, cut, fade or balance before you print.",
    steps: [
      { text: "Play and stop", action: "play" },
      { text: "Hear one track alone", action: "solo" },
      { text: "Drag along the ruler to set a range, and loop it", action: "loop" },
      { text: "Right-click a clip: split, mute, crossfade, consolidate", action: "clip-cut-here" },
      { text: "Press a bead on the path map to open a device; drag it to change the order" },
      { text: "Open notes, a nest, or the time and pitch of audio", action: "notes" },
    ],
    look: "What you hear is computed by the engine that prints. The load of every track stands in its head.",
    wrong: ["The machine does not keep up: the button beside the load freezes the cheapest set of tracks that helps."],
    picture: "bench",
  },
  {
    id: "freeze",
    title: "Freeze and unfreeze",
    screen: "Bench",
    when: "A track costs too much, and you may want to change it later.",
    steps: [
      { text: "Select tracks" },
      { text: "Freeze them", action: "freeze" },
      { text: "Unfreeze to edit again", action: "unfreeze" },
    ],
    look: "The row is stippled and says frozen. Faders, pans and sends stay live.",
    wrong: ["It says stale: the track was changed after the freeze. Freeze it again."],
    picture: "bench-frozen-night",
  },
  {
    id: "commit",
    title: "Commit",
    screen: "Bench",
    when: "You want the frozen audio as an audio track for good.",
    steps: [
      { text: "Freeze the tracks", action: "freeze" },
      { text: "Commit them", action: "commit" },
      { text: "Bring a source back later", action: "unpark" },
    ],
    look: "A new audio track plays the print. The source is parked beside it: it computes nothing and keeps everything.",
    wrong: ["Commit is grey: the tracks are not frozen, or their freeze is stale."],
    picture: null,
  },
  {
    id: "consolidate",
    title: "Consolidate",
    screen: "Bench",
    when: "Many clips should become one file in place.",
    steps: [
      { text: "Select clips, or drag beside them to select a range over tracks" },
      { text: "Consolidate", action: "consolidate" },
      { text: "For whole tracks of equal length from bar 1, use", action: "consolidate-zero" },
    ],
    look: "With a range, all files begin and end there. Without one, each begins with its own first clip.",
    wrong: ["It refuses: the track is frozen or parked. Unfreeze or unpark it first."],
    picture: null,
  },
  {
    id: "bounce",
    title: "Bounce",
    screen: "Bench",
    when: "You want audio of what is heard: of tracks, of clips, of a range, or of the mix.",
    steps: [
      { text: "Select tracks or clips, or drag a range on the lanes" },
      { text: "Bounce them onto new tracks, with fader and pan", action: "bounce" },
      { text: "Bounce the mix to the shelf, through its chain", action: "print-mix" },
    ],
    look: "The new track flashes once. Its length, peak, loudness and tail stand at the foot.",
    wrong: ["The print is silent: the message says why, such as a muted track or a closed fader."],
    picture: "printed",
  },
  {
    id: "print",
    title: "Print anything else",
    screen: "Bench",
    when: "You choose the tap, the range, the pieces, the name or the place yourself.",
    steps: [
      { text: "Select tracks or clips, then open the slip", action: "slip" },
      { text: "Change any part of the sentence; drag the tap along the path map" },
      { text: "Read what is baked in and what stays live" },
      { text: "Print", action: "print" },
      { text: "Print the same again on another selection", action: "print-again" },
    ],
    look: "After the print the session is compared with what it was: the residual says whether it sounds the same.",
    wrong: ["A warning stands in the slip: press its fix, or read why the print will differ."],
    picture: "print",
  },
  {
    id: "stems",
    title: "Stems",
    screen: "Stems",
    when: "A mixer, a mastering engineer or an archive needs aligned files.",
    steps: [
      { text: "Open the sheet: it has one stem for every track that sounds", action: "go-Stems" },
      { text: "Choose a receiver: rate, depth, tail and names are set for them" },
      { text: "Drop a track on a stem to combine them; untick what you do not need" },
      { text: "Read Preflight and press its fixes" },
      { text: "Export", action: "export" },
    ],
    look: "The foot says how many files come out, how long they are and how much they weigh.",
    wrong: ["A stem is silent: its row says so before the export, with the reason in Preflight."],
    picture: "stems",
  },
  {
    id: "proof",
    title: "Proof",
    screen: "Proof",
    when: "An export is done, and you want to know that it is right.",
    steps: [
      { text: "Open the proof", action: "go-Proof" },
      { text: "Read the matrix: one row for each file, one column for each check" },
      { text: "Play the sum of the files, the mix, and their difference" },
    ],
    look: "The finished package is read back from disk and held to a fresh render, from the first frame to the last.",
    wrong: ["A cell is red: it names the fault, such as a shift, a gain or swapped channels. Export again."],
    picture: "proof",
  },
  {
    id: "deliver",
    title: "Deliver",
    screen: "Handoff",
    when: "The package should reach its receiver.",
    steps: [
      { text: "Open Handoff", action: "go-Handoff" },
      { text: "Choose the session files that go along" },
      { text: "Make a private link with an expiry, or download the package" },
      { text: "After a change, export only what changed" },
    ],
    look: "Each link says how often it was used. Two handoffs can be compared file by file.",
    wrong: ["The link does not open for others: Stemzo listens on this machine alone. See the settings in the README."],
    picture: "handoff",
  },
  {
    id: "receive",
    title: "Receive",
    screen: null,
    when: "You got a private link.",
    steps: [
      { text: "Open the link: no account is needed" },
      { text: "Play all files in sync, or some of them" },
      { text: "Download all, or file by file" },
      { text: "Check every byte in the browser" },
    ],
    look: "The page shows the notes, the bars and the hash of every file.",
    wrong: ["The link has expired or was revoked: ask the sender for another one."],
    picture: "receiver",
  },
  {
    id: "repair",
    title: "Check and repair a set",
    screen: null,
    when: "Stems from elsewhere may be shifted, cut, swapped, inverted or silent.",
    steps: [
      { text: "Drop the folder or ZIP on the first page, with the mix if there is one" },
      { text: "Read what is wrong, file by file" },
      { text: "Untick a repair that you do not want; change the names" },
      { text: "Press Repair and deliver, or Open repaired" },
    ],
    look: "The files that you sent stay as they are. The repaired set is proven like any export.",
    wrong: ["A hole in the audio cannot be repaired: ask for the file again."],
    picture: "check",
  },
  {
    id: "history",
    title: "History",
    screen: null,
    when: "You want to go back, or to know what changed.",
    steps: [
      { text: "Undo the last step", action: "undo" },
      { text: "Open the history", action: "history" },
      { text: "Go back to any point, or compare it with now" },
      { text: "Name a point as a version", action: "name-version" },
    ],
    look: "Two versions are compared by their sound, track by track.",
    wrong: ["Nothing is lost by going back: that is a step, too, and can be undone."],
    picture: "history",
  },
];
