/** Imports point down only: core, then contract, then server and player, then worker, ui, app. */
/** Tests may reach for whatever sets the scene. */
const TESTS = "\\.test\\.ts$|^(core|ui)/testing/";
const layer = (name, from, to) => ({ name, severity: "error", from: { path: from, pathNot: TESTS }, to: { path: to } });
const PACKAGES_OF_CORE = "^node_modules/(zod|@noble/hashes|fast-deep-equal|saxes|signalsmith-stretch)/";

/** The rooms of a folder from the ground up: each may know those in lines above its own, and nothing else. */
const storeys = (root, lines, { ground = "no-file" } = {}) => {
  const rooms = lines.flat();
  return [
    ...lines.flatMap((line, i) => {
      const above = [...lines.slice(i + 1).flat()];
      return line.map((room) => ({
        name: `${root}-${room}-knows-only-what-lies-below`,
        severity: "error",
        from: { path: `^${root}/${room}/`, pathNot: TESTS },
        to: { path: `^${root}/(${[...above, ...line.filter((r) => r !== room), "no-such-room"].join("|")})/` },
      }));
    }),
    {
      name: `${root}-has-no-room-without-a-place`,
      severity: "error",
      from: { path: `^${root}/`, pathNot: TESTS },
      to: { path: `^${root}/[^/]+/`, pathNot: `^${root}/(${rooms.join("|")})/` },
    },
    {
      name: `${root}-ground-knows-no-room`,
      severity: "error",
      from: { path: `^${root}/(${ground})`, pathNot: TESTS },
      to: { path: `^${root}/[^/]+/` },
    },
  ];
};

const CORE = [
  ["kernels", "time"],
  ["audio", "timeline"],
  ["instruments"],
  ["formats", "devices"],
  ["session"],
  ["analysis"],
  ["engine"],
  ["stretch", "printing"],
  ["interchange"],
  ["delivery"],
  ["proof", "mending"],
  ["words"],
  ["papers"],
  ["testing"],
];
const UI = [
  ["theme", "parts"],
  ["session"],
  ["playback"],
  ["actions"],
  ["timeline"],
  ["canvas", "devices", "import", "intake"],
  ["clips", "shelf", "tracks", "instruments"],
  ["kit"],
  ["drawer", "slip"],
  ["lanes", "path-map"],
  ["hear", "session-files"],
  ["bench", "stems", "proof", "handoff", "receiver", "side"],
  ["frame"],
  ["guide"],
];

const SERVER = [["db"], ["access", "audio"], ["packages"], ["services"], ["http"]];
/** Files beside the rooms of the server that all of them may use. */
const SERVER_GROUND = "(debug|fault|limits|log|paths|processes)\\.ts$";

const WORKER = [
  ["files"],
  ["render"],
  ["import"],
  ["instruments"],
  ["candidates"],
  ["session-files"],
  ["compare"],
  ["proof"],
  ["threads"],
  ["context"],
  ["printing", "intake"],
  ["delivery"],
  ["jobs"],
];

module.exports = {
  forbidden: [
    ...storeys("core", CORE),
    ...storeys("ui", UI),
    ...storeys("server", SERVER, { ground: SERVER_GROUND }),
    ...storeys("worker", WORKER),
    layer("core-stands-alone", "^core/", "^(contract|server|worker|player|app|ui|demo|scripts|tests)/"),
    {
      name: "core-has-few-packages",
      severity: "error",
      from: { path: "^core/", pathNot: TESTS },
      to: { path: "node_modules", pathNot: PACKAGES_OF_CORE },
    },
    {
      name: "core-without-node",
      severity: "error",
      from: { path: "^core/", pathNot: TESTS },
      to: { dependencyTypes: ["core"] },
    },
    layer("contract-knows-core-only", "^contract/", "^(server|worker|player|app|ui|demo|scripts|tests)/"),
    layer("server-below-app", "^server/", "^(worker|player|app|ui|demo|scripts|tests)/"),
    layer("worker-below-nothing-of-the-browser", "^worker/", "^(player|app|ui|demo|scripts|tests)/"),
    layer("player-knows-core-only", "^player/", "^(contract|server|worker|app|ui|demo|scripts|tests)/"),
    layer("ui-speaks-http", "^ui/", "^(server|worker|app|demo|scripts|tests)/"),
    layer("app-does-not-render-sound", "^app/", "^(worker|demo|scripts|tests)/"),
    layer("demo-is-data", "^demo/", "^(worker|app|ui|scripts|tests)/"),
    {
      name: "no-circles",
      severity: "error",
      from: { pathNot: TESTS },
      to: { circular: true },
    },
  ],
  options: {
    tsPreCompilationDeps: true,
    tsConfig: { fileName: "tsconfig.json" },
    doNotFollow: { path: "node_modules" },
    enhancedResolveOptions: {
      exportsFields: ["exports"],
      conditionNames: ["import", "require", "node", "default", "types"],
    },
  },
};
