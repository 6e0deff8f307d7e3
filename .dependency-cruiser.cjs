/** Imports point down only: core, then contract, then server and player, then worker, ui, app. */
/** Tests may reach for whatever sets the scene. */
const TESTS = "\\.test\\.ts$|^core/testing/";
const layer = (name, from, to) => ({ name, severity: "error", from: { path: from, pathNot: TESTS }, to: { path: to } });
const PACKAGES_OF_CORE = "^node_modules/(zod|@noble/hashes|fft\\.js|signalsmith-stretch)/";

module.exports = {
  forbidden: [
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
    layer("ui-speaks-http", "^ui/", "^(server|worker|app|demo|scripts|tests)/"),
    layer("app-does-not-render-sound", "^app/", "^(worker|demo|scripts|tests)/"),
    layer("demo-is-data", "^demo/", "^(worker|app|ui|scripts|tests)/"),
    {
      name: "no-circles",
      severity: "error",
      from: {},
      to: { circular: true, viaOnly: { dependencyTypesNot: ["type-only"] } },
    },
    {
      name: "formats-know-only-what-they-carry",
      severity: "error",
      from: { path: "^core/formats/" },
      to: { path: "^core/(engine|devices|printing|stems|proof)/" },
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
