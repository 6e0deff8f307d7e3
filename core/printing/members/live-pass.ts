import type { Member } from "./member";

/** What was ridden while it played: it moves in the print in place of whatever automation there is of the same. */
export const livePass: Member = {
  differs: ({ slip }) => (slip.moves.length > 0 ? { kind: "ridden moves" } : null),
};
