import { create } from "zustand";
import type { Recipe } from "../../contract/recipe";
import { api } from "../session/api";

/** The recipes that are kept, for every session; the first nine have a key each. */
interface Recipes {
  /** Null until they have come. */
  readonly list: readonly Recipe[] | null;
  /** Reads them anew; throws `Refused`. */
  load(): Promise<void>;
}

export const useRecipes = create<Recipes>()((set) => ({
  list: null,
  load: async () => set({ list: await api.recipes() }),
}));

const KEYED = 9;
/** The key of a recipe by its place in the list; null: it has none. */
export const recipeKey = (place: number): string | null => (place < KEYED ? `Alt+${place + 1}` : null);
