import type { Reason, ReasonOf } from "../printing/reasons";

const RINGS_BEFORE =
  "the first sound stands at the very beginning of the session, and a linear-phase filter blurs its attack by a few milliseconds to both sides: what would come before it is cut off. Move the session a bar later to keep it";

const steers = (track: string, steered: readonly string[]) => `${track} steers ${steered.join(", ")}`;

/** One sentence for each reason, to stand behind "because", without a full stop. */
const sentences: { readonly [K in Reason["kind"]]: (reason: ReasonOf<K>) => string } = {
  "16 bits": () => "16 bits hold the sound to within their own noise",
  "24 bits": () => "24 bits cut off what goes above full scale",
  "ridden moves": () => "what was ridden in the live pass is in it",
  "real time": () => "hardware never sounds twice the same",
  loop: () => "it is a loop: its ends are made for one another",
  "parked outside the stretch": ({ track }) => `what ${track} plays outside the range is parked with it`,
  "uncut at the edge": ({ clip, track }) =>
    `${clip} on ${track} cannot be cut at the edge of the range and stays whole beside the print`,
  "process begins anew": ({ clip }) => `the effects on ${clip} begin anew where it is cut`,
  "moves left out": ({ what, track }) => `${what} on ${track} moved, and rests at its first value in the print`,
  "steers others": ({ track, steered }) => `${steers(track, steered)}, which would hear less of it`,
  "steers from after its fader": ({ track, steered }) =>
    `${steers(track, steered)}: after its fader it steers with another level`,
  "in both prints": ({ track, group }) => `${track} runs into ${group}, so its sound is in both prints`,
  "in its group already": ({ track, group }) =>
    `${track} is in ${group} already; parked with it, its sends and keys fall silent`,
  "not chosen, parked": ({ track }) => `what is not chosen on ${track} is parked with it`,
  "not chosen, overlapping": ({ track }) => `clips on ${track} that are not chosen lie over chosen ones`,
  "lies over what is not chosen": ({ track }) =>
    `a print from the start lies over clips on ${track} that are not chosen`,
  "crossfades in one piece": ({ track }) => `crossfades on ${track} need both clips in one piece`,
  "pieces through a device": ({ track, device }) =>
    `pieces of ${track} are printed each by itself, and ${device} works on all that sounds at once`,
  "pieces moved apart": () => "pieces are printed each by itself, so a fader or pan that moves would move them apart",
  "rings into the next clip": ({ track }) =>
    `a clip on ${track} that stays begins while the print still rings, and cuts it off`,
  "clips on top of one another": ({ track }) =>
    `clips on ${track} lie over one another, and what is covered would come to the top`,
  "devices twice": ({ track }) => `what is left on ${track} and the print go through its devices each by itself`,
  "a member steers": ({ member, group, steered }) =>
    `${member} is parked with ${group}, and steers ${steered.join(", ")}`,
  "send before the fader": ({ track }) => `a send of ${track} leaves before its fader, which is in the print`,
  "sends along the way": () => "sends along the way are not in the print: print it with the returns",
  "groups hear all": ({ groups }) =>
    `${groups.join(", ")} works on all that runs through it: a share by itself comes out otherwise`,
  "a group steers": () => "a group on the way steers another track, which would hear less of it",
  "returns another way": () => "what its sends produce runs on with the print, another way than the returns themselves",
  "returns hear all": () => "a return works on all that is sent to it: a share by itself comes out otherwise",
  "faders after the tap": () => "faders and pans of the tracks come after the tap and are not in one print of all",
  "different groups": () => "the tracks run into different groups, the print into one",
  "sends of the tracks": () => "sends of the tracks are not in the print: print it with the returns",
  "rings over the edges": () => "what rings into the range and out of it is cut by its edges",
  "no tail": () => "the tail is left out",
  mono: () => "mono keeps what both channels have in common",
  "rings before the beginning": () => RINGS_BEFORE,
  "only the hardest strike": () => "every strike plays what only the hardest played before",
  "tuned kit": () => "the kit is tuned, so what was read once is read a second time",
  "steered elsewhere": ({ device, track }) =>
    `${device} on ${track} is steered by another track, which does other things at other places`,
  wanders: ({ device, track }) =>
    `${device} on ${track} sounds a little otherwise wherever it is, by chance or by its swing`,
  "follows the tempo": ({ device, track }) => `${device} on ${track} follows the tempo, which changes`,
  "hears all at once": ({ device, track }) =>
    `${device} on ${track} works on all that sounds at once, each placement by itself comes out otherwise`,
  "tempo moves the notes": ({ clip }) =>
    `the tempo puts the notes of "${clip}" at other distances where it is placed again`,
};

/** Why a print does not sound as its source, in a sentence without a full stop. */
export const sayReason = <K extends Reason["kind"]>(reason: ReasonOf<K>): string =>
  (sentences[reason.kind as K] as (reason: ReasonOf<K>) => string)(reason);
