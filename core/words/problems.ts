import type { Problem } from "../session/problem";

/** The first problem as a sentence. */
export const sayFirstProblem = (problems: readonly Problem[]): string =>
  `${problems[0]?.what ?? "That is not possible"}.`;

/** All problems of one thing, so that where they are need not be said. */
export const sayProblems = (problems: readonly Problem[]): string => problems.map((p) => p.what).join("; ");
