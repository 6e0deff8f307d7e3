/** Whether a file is the mix of the others, by its name. */
export const isMixName = (name: string): boolean =>
  /(^|[^a-z])((reference|stereo|full|rough|main|2|two)?[ _.-]*(mix|mixdown|master|premaster))([^a-z]|$)/i.test(name);
