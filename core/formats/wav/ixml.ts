import { utf8ToBytes } from "@noble/hashes/utils.js";
import { xmlText } from "../xml/text";
import type { WavChunk } from "./format";

/** What an iXML chunk says of a file here. */
export interface IXml {
  readonly project: string;
  /** One for each channel. */
  readonly tracks: readonly string[];
  /** 32 hexadecimal digits, of this file's contents and of its whole family's. */
  readonly fileUid: string;
  readonly familyUid: string;
  readonly familyName: string;
  readonly rate: number;
  readonly bits: number;
  /** Of the first frame, from the timeline's zero. */
  readonly timeReference: number;
  readonly note: string;
}

/**
 * The chunk of a file in iXML 3.01: what it is called, which family it belongs to, where it begins. Two channels of one
 * sound are left and right of the same name.
 */
export function ixmlChunk(facts: IXml): WavChunk {
  const { project, tracks, fileUid, familyUid, familyName, rate, bits, timeReference, note } = facts;
  const high = Math.floor(timeReference / 0x100000000);
  const low = timeReference - high * 0x100000000;
  const track = (name: string, i: number) =>
    element("TRACK", [
      element("CHANNEL_INDEX", i + 1),
      element("INTERLEAVE_INDEX", i + 1),
      element("NAME", name),
      ...(tracks.length === 2 ? [element("FUNCTION", i === 0 ? "LEFT" : "RIGHT")] : []),
    ]);
  const text = element("BWFXML", [
    element("IXML_VERSION", "3.01"),
    element("PROJECT", project),
    element("NOTE", note),
    element("FILE_UID", fileUid),
    element("FILE_SET", [element("FAMILY_UID", familyUid), element("FAMILY_NAME", familyName)]),
    element("SPEED", [
      element("FILE_SAMPLE_RATE", rate),
      element("AUDIO_BIT_DEPTH", bits),
      element("DIGITIZER_SAMPLE_RATE", rate),
      element("TIMESTAMP_SAMPLES_SINCE_MIDNIGHT_HI", high),
      element("TIMESTAMP_SAMPLES_SINCE_MIDNIGHT_LO", low),
      element("TIMESTAMP_SAMPLE_RATE", rate),
    ]),
    element("TRACK_LIST", [element("TRACK_COUNT", tracks.length), ...tracks.map(track)]),
  ]);
  return { id: "iXML", body: utf8ToBytes(`<?xml version="1.0" encoding="UTF-8"?>\n${text}\n`) };
}

const element = (name: string, inner: string | number | readonly string[]): string =>
  `<${name}>${typeof inner === "object" ? `\n${inner.join("\n")}\n` : xmlText(String(inner))}</${name}>`;
