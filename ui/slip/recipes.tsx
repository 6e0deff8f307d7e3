"use client";

import { BookMarked, Trash2 } from "lucide-react";
import { useEffect, useState } from "react";
import { toast } from "sonner";
import type { Recipe } from "../../contract/recipe";
import { Button } from "../parts/button";
import { Editable } from "../parts/editable";
import { Floating } from "../parts/floating";
import { Refused, api } from "../session/api";
import { recipeKey, useRecipes } from "./recipe-store";
import { useSlip } from "./slip-store";

const failed = (error: unknown) =>
  void toast.error(
    error instanceof Refused ? `${error.fault.what} ${error.fault.todo}` : "The recipes cannot be reached.",
  );

/** Print slips kept by name, for every session: one press makes the sentence say what it said then. */
export function Recipes() {
  return (
    <Floating
      label="Recipes"
      width={340}
      trigger={
        <Button kind="quiet" className="min-h-8">
          <BookMarked size={13} aria-hidden /> Recipes
        </Button>
      }
    >
      <RecipeList />
    </Floating>
  );
}

function RecipeList() {
  const { wanted, subject, use } = useSlip();
  const { list: recipes, load: read } = useRecipes();
  const [naming, setNaming] = useState(false);
  const load = () => read().catch(failed);
  useEffect(() => void read().catch(failed), [read]);
  const save = (name: string) => {
    setNaming(false);
    if (name.trim() !== "") void api.saveRecipe(name, { ...wanted, subject }).then(load, failed);
  };
  const remove = (recipe: Recipe) =>
    void api.deleteRecipe(recipe.id).then(() => {
      toast(`The recipe “${recipe.name}” is gone.`, {
        action: {
          label: "Bring it back",
          onClick: () => void api.saveRecipe(recipe.name, recipe.slip).then(load, failed),
        },
      });
      return load();
    }, failed);
  return (
    <div className="grid gap-1 text-[13px]">
      <p className="eyebrow">Recipes</p>
      {recipes?.length === 0 && (
        <p className="text-soft">
          A recipe is the sentence without its tracks: saved here, it can be used on anything, in any session.
        </p>
      )}
      <ul aria-label="Recipes">
        {(recipes ?? []).map((recipe, place) => (
          <li key={recipe.id} className="flex min-h-8 items-center gap-2 border-b border-rule">
            <div className="min-w-0 flex-1">
              <Editable
                double
                value={recipe.name}
                label={`Recipe ${recipe.name}`}
                onCommit={(name) => void api.renameRecipe(recipe.id, name || recipe.name).then(load, failed)}
                className="w-full font-medium"
              />
            </div>
            {recipeKey(place) !== null && (
              <kbd className="figure text-[11px] text-soft" title="Prints what is selected by it">
                {recipeKey(place)}
              </kbd>
            )}
            <button
              type="button"
              aria-label={`Use ${recipe.name}`}
              onClick={() => use(recipe.slip)}
              className="min-h-6 rounded-sm px-2 font-semibold text-spot hover:bg-spot-wash"
            >
              use
            </button>
            <button
              type="button"
              aria-label={`Remove ${recipe.name}`}
              title="Remove"
              onClick={() => remove(recipe)}
              className="grid size-6 place-items-center rounded-sm text-soft hover:bg-shade hover:text-ink"
            >
              <Trash2 size={13} aria-hidden />
            </button>
          </li>
        ))}
      </ul>
      {naming ? (
        <Editable
          open
          value=""
          label="Name of the recipe"
          placeholder=""
          onCommit={save}
          onLeave={() => setNaming(false)}
          className="mt-1 min-h-7 border border-ink px-2"
        />
      ) : (
        <button
          type="button"
          onClick={() => setNaming(true)}
          className="mt-1 min-h-7 justify-self-start rounded-sm px-1 font-semibold text-spot underline underline-offset-2"
        >
          Save what the sentence says now
        </button>
      )}
    </div>
  );
}
