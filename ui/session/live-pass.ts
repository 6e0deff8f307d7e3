import { MoveRecorder } from "../../core/printing/moves";
import type { Slip } from "../../core/printing/slip";
import type { Session } from "../../core/session/document";
import type { Edit } from "../../core/session/edits";
import { applyTyped } from "../../core/session/apply";
import type { TempoMap } from "../../core/time/tempo";
import { tempoMap } from "../../core/time/tempo";
import type { Frames } from "../../core/units";
import type { StoreAccess } from "./session-store";

/** A live pass: while it goes on, what hands turn is kept as moves and is no edit of the session. */
export class LivePass {
  private pass: { readonly recorder: MoveRecorder; readonly tempo: TempoMap; readonly at: () => Frames } | null = null;

  constructor(private readonly store: StoreAccess) {}

  start(at: () => Frames): void {
    const { shown } = this.store.get().sync;
    const tempo = tempoMap(shown.tempo, shown.rate);
    this.pass = { tempo, at, recorder: new MoveRecorder(shown, Math.round(tempo.toTicks(at())), tempo) };
    this.store.set({ riding: 0 });
  }

  /** Whether a pass is going on that kept these edits as moves. */
  takes(edits: readonly Edit[]): boolean {
    const { pass } = this;
    return pass?.recorder.ride(edits, pass.tempo.toTicks(pass.at())) ?? false;
  }

  /** Moves that were kept are seen where hands have put them. */
  show(): void {
    const { sync } = this.store.get();
    this.store.set({ session: this.ridden(sync.shown), riding: this.pass?.recorder.count ?? 0 });
  }

  /** A session as the screens show it: with what is ridden held where hands have put it. */
  ridden(session: Session): Session {
    const held = this.pass?.recorder.held(session) ?? [];
    const made = held.length > 0 ? applyTyped(session, { label: "", edits: [...held] }) : null;
    return made?.ok ? made.value.session : session;
  }

  /** Ends the pass: the session stands as it was before; what was ridden is given out. */
  end(): Slip["moves"] {
    const moves = this.pass?.recorder.lanes(() => crypto.randomUUID()) ?? [];
    this.pass = null;
    this.store.set({ riding: null, session: this.store.get().sync.shown });
    return moves;
  }
}
