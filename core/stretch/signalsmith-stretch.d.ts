declare module "signalsmith-stretch" {
  const create: unknown;
  export default create;
}
