/** The screens of a session, by their paths below its own. */
export const SCREENS = [
  { path: "", name: "Bench", key: "1" },
  { path: "/stems", name: "Stems", key: "2" },
  { path: "/proof", name: "Proof", key: "3" },
  { path: "/handoff", name: "Handoff", key: "4" },
  { path: "/shelf", name: "Shelf", key: "5" },
  { path: "/instruments", name: "Instruments", key: "6" },
] as const;

export const pathOf = (session: string, screen: (typeof SCREENS)[number]["path"]): string => `/s/${session}${screen}`;
