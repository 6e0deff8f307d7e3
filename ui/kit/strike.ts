import { toast } from "sonner";
import type { Layer } from "../../core/session/document";
import { hearLayers } from "./hear-pad";

/** Strikes layers, and says so where they cannot be heard. */
export const strike = (layers: readonly Layer[]) =>
  hearLayers(layers).catch(
    (error: unknown) => void toast.error(`It cannot be heard: ${error instanceof Error ? error.message : "no audio"}.`),
  );
