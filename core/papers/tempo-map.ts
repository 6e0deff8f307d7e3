import { conductorEvents } from "../formats/midi/conductor";
import { writeConductor } from "../formats/midi/write";
import type { Session } from "../session/document";
import type { Ticks } from "../units";

/**
 * Tempo, meter and markers of a stretch of a session, of one tick at least, as a MIDI file. Its tick 0 is the
 * stretch's first, as the first frame of every delivered file is: laid at the same place, they line up. `lead`: so many
 * ticks of silence are in front of all that, in whole bars of the first tempo and meter.
 */
export const tempoMapFile = (session: Session, from: Ticks, to: Ticks, lead: Ticks = 0): Uint8Array =>
  writeConductor(session.name, conductorEvents(session, from, to, lead), to - from + lead);
