import { z } from "zod";
import { profileBodySchema } from "../core/delivery/profile-schema";
import type { Frozen } from "../core/session/document";

/** A receiver's profile that was saved. */
export const newProfileBody = z.strictObject({ name: z.string().trim().min(1).max(120), body: profileBodySchema });
export const profileSchema = newProfileBody.extend({ id: z.string(), madeAt: z.string() });
export type SavedProfile = Frozen<z.infer<typeof profileSchema>>;
