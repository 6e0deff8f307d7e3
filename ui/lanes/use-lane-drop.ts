import { useRouter } from "next/navigation";
import { useState, type DragEvent } from "react";
import { importStep } from "../../core/session/import";
import type { Session } from "../../core/session/document";
import type { Frames } from "../../core/units";
import { useImport } from "../import/store";
import { filesOfDrop, isSessionDrop } from "../intake/gather";
import { useIntake } from "../intake/store";
import { useSessionParts } from "../session/provider";
import { ASSET_DRAG } from "../shelf/piece";

/** Where something is dropped: the frame, on its grid, and the track under it; null: under none. */
export interface DropPlace {
  readonly frame: Frames;
  readonly track: string | null;
}

/**
 * Takes in what is dropped on lanes: pieces of the shelf, audio files, files of sessions. `landing`: where what is
 * dragged over them now would land.
 */
export function useLaneDrop(session: Session, placeOf: (event: DragEvent) => DropPlace) {
  const router = useRouter();
  const { id, whole, take } = useSessionParts((s) => ({ id: s.id, whole: s.session, take: s.take }));
  const [landing, setLanding] = useState<DropPlace | null>(null);
  const onDragOver = (event: DragEvent) => {
    if (!event.dataTransfer.types.includes("Files") && !event.dataTransfer.types.includes(ASSET_DRAG)) return;
    event.preventDefault();
    const place = placeOf(event);
    setLanding((before) => (before?.frame === place.frame && before.track === place.track ? before : place));
  };
  const onDragLeave = () => setLanding(null);
  const onDrop = (event: DragEvent) => {
    setLanding(null);
    const place = placeOf(event);
    const asset = session.assets.find((a) => a.id === event.dataTransfer.getData(ASSET_DRAG));
    if (asset) {
      event.preventDefault();
      const step = importStep(whole, [{ asset, timeReference: null }], { by: "frame", ...place }, () =>
        crypto.randomUUID(),
      );
      return void take({ ...step, label: `Place ${asset.name}` });
    }
    if (event.dataTransfer.files.length === 0) return;
    event.preventDefault();
    if (!isSessionDrop(event.dataTransfer)) return useImport.getState().offer([...event.dataTransfer.files], place);
    const into = { id, name: session.name, frame: place.frame, rate: session.rate };
    void filesOfDrop(event.dataTransfer).then((files) => useIntake.getState().add(files, into));
    router.push("/intake");
  };
  return { landing, on: { onDragOver, onDragLeave, onDrop } };
}
