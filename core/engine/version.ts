/** Part of every fingerprint: raised whenever a change to the engine or a device can change a single sample. */
export const ENGINE_VERSION = 8;
