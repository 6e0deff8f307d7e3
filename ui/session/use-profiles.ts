"use client";

import { useEffect, useState } from "react";
import { toast } from "sonner";
import type { SavedProfile } from "../../contract/profile";
import type { Profile, ProfileBody } from "../../core/delivery/profiles";
import { profiles } from "../../core/delivery/profiles";
import { Refused, api } from "./api";

const failed = (error: unknown) =>
  void toast.error(
    error instanceof Refused ? `${error.fault.what} ${error.fault.todo}` : "The profiles cannot be reached.",
  );

export interface Profiles {
  /** Everybody's first, then one's own by name. */
  readonly all: readonly (Profile & { readonly id?: string })[];
  save(name: string, body: ProfileBody): void;
  remove(profile: SavedProfile): void;
  readonly own: readonly SavedProfile[];
}

/** Receivers' profiles: those that everybody has, and those that were saved. */
export function useProfiles(): Profiles {
  const [own, setOwn] = useState<readonly SavedProfile[]>([]);
  const load = () => api.profiles().then(setOwn, failed);
  useEffect(() => {
    let gone = false;
    api.profiles().then((list) => {
      if (!gone) setOwn(list);
    }, failed);
    return () => {
      gone = true;
    };
  }, []);
  const save = (name: string, body: ProfileBody) =>
    void api.saveProfile(name, body as SavedProfile["body"]).then(load, failed);
  return {
    own,
    all: [...profiles, ...own],
    save,
    remove: (profile) =>
      void api.deleteProfile(profile.id).then(() => {
        toast(`The profile “${profile.name}” is gone.`, {
          action: { label: "Bring it back", onClick: () => save(profile.name, profile.body) },
        });
        return load();
      }, failed),
  };
}
