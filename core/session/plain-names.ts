export const chip = <const K extends string>(kind: K, text = "") => ({ kind, text });
export const PLAIN_FOLDER_NAME = [
  chip("song"),
  chip("text", "-"),
  chip("text", "Stems"),
  chip("text", "-"),
  chip("tempo"),
];
export const PLAIN_FILE_NAME = [chip("number"), chip("stem")];
