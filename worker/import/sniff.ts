import type { ByteSource } from "../../core/formats/bytes/bytes";
import { MalformedFile } from "../../core/formats/bytes/bytes";

export type AudioKind = "wav" | "aiff" | "flac" | "mp3" | "vorbis" | "opus";

/** What a file is by its own bytes, whatever it is called. Throws `MalformedFile` for what is not read here. */
export function sniff(source: ByteSource): AudioKind {
  const head = new Uint8Array(Math.min(64, source.size));
  source.read(0, head);
  const text = String.fromCharCode(...head);
  if (/^(RIFF|RF64|BW64)/.test(text) && text.slice(8, 12) === "WAVE") return "wav";
  if (text.startsWith("FORM") && /^AIF[FC]$/.test(text.slice(8, 12))) return "aiff";
  if (text.startsWith("fLaC")) return "flac";
  if (text.startsWith("OggS")) {
    // The first packet of the stream says what is in it. RFC 3533; Vorbis I, 4.2.1; RFC 7845, 5.1.
    if (text.includes("\x01vorbis")) return "vorbis";
    if (text.includes("OpusHead")) return "opus";
    throw new MalformedFile("This Ogg file holds neither Vorbis nor Opus", 0);
  }
  // An ID3 tag, or the eleven bits that begin a frame of layer III. ISO/IEC 11172-3, 2.4.2.3.
  const [a = 0, b = 0] = head;
  if (text.startsWith("ID3") || (a === 0xff && (b & 0xe6) === 0xe2)) return "mp3";
  throw new MalformedFile(
    "This is not an audio file that is read here: WAV, AIFF, FLAC, MP3, Ogg Vorbis and Opus are",
    0,
  );
}
