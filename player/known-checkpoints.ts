import { levelChanges } from "../core/engine/levels";
import type { Session } from "../core/session/document";
import type { Frames } from "../core/units";
import type { SharedCheckpoint } from "./shared-checkpoint";

/** All of them together; those taken first go first. */
const MOST_BYTES = 1 << 28;
/** Sessions that are remembered by number: each change that is played makes one. */
const MOST_SESSIONS = 16;
/** As many as one start is given to choose from. */
const OFFERED = 3;

interface Known {
  readonly session: Session;
  readonly checkpoint: SharedCheckpoint;
}

/** A checkpoint to begin from; `of`: the session that it was taken of, null: the one that is played. */
export interface Offer {
  readonly of: Session | null;
  readonly checkpoint: SharedCheckpoint;
}

/** What was remembered while a session played, so that playing from there again is what a print has. */
export class KnownCheckpoints {
  private readonly all: Known[] = [];
  /** By number, the newest last. */
  private readonly sessions = new Map<number, Session>();
  private lastSerial = 0;

  constructor(private readonly mostBytes = MOST_BYTES) {}

  /** Numbers a session: by that its engine says what a checkpoint is of. */
  serialOf(session: Session): number {
    for (const [serial, known] of this.sessions) if (known === session) return serial;
    this.sessions.set(++this.lastSerial, session);
    const [oldest] = this.sessions.keys();
    if (this.sessions.size > MOST_SESSIONS && oldest !== undefined) this.sessions.delete(oldest);
    return this.lastSerial;
  }

  add(serial: number, checkpoint: SharedCheckpoint): void {
    const session = this.sessions.get(serial);
    const isNew = session && !this.all.some((k) => k.session === session && k.checkpoint.clock === checkpoint.clock);
    if (!isNew) return;
    this.all.push({ session, checkpoint });
    let bytes = this.all.reduce((sum, k) => sum + k.checkpoint.memory.byteLength, 0);
    while (bytes > this.mostBytes) bytes -= this.all.shift()?.checkpoint.memory.byteLength ?? bytes;
  }

  /**
   * The latest before a frame, of the session itself and of the one that was played last before it: an edit leaves what
   * comes before it as it was. A level that was turned is heard from zero on: then the other has none to offer.
   */
  before(session: Session, at: Frames): readonly Offer[] {
    const earlier = this.all.filter(({ checkpoint: { clock, latency } }) => clock - latency <= at);
    const other = earlier.findLast((k) => k.session !== session)?.session;
    const turned = other && levelChanges(other, session);
    const isOffered = (of: Session) => of === session || (of === other && (turned ?? []).length === 0);
    return earlier
      .filter((k) => isOffered(k.session))
      .sort((a, b) => b.checkpoint.clock - a.checkpoint.clock)
      .slice(0, OFFERED)
      .map(({ session: of, checkpoint }) => ({ of: of === session || turned ? null : of, checkpoint }));
  }
}
