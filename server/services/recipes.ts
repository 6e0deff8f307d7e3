import { randomUUID } from "node:crypto";
import { asc, eq } from "drizzle-orm";
import type { Recipe } from "../../contract/recipe";
import { recipeSlip } from "../../contract/recipe";
import type { Db } from "../db/connect";
import { recipes } from "../db/schema";
import { notFound } from "../fault";

type Row = typeof recipes.$inferSelect;
const toRecipe = ({ madeAt, slip, ...row }: Row): Recipe => ({
  ...row,
  slip: recipeSlip.parse(slip),
  madeAt: madeAt.toISOString(),
});

/** Every recipe, by name; they belong to all sessions. */
export async function listRecipes(db: Db): Promise<readonly Recipe[]> {
  return (await db.select().from(recipes).orderBy(asc(recipes.name))).map(toRecipe);
}

export async function saveRecipe(db: Db, name: string, slip: Recipe["slip"]): Promise<Recipe> {
  const [row] = await db.insert(recipes).values({ id: randomUUID(), name, slip }).returning();
  if (!row) throw new Error("the recipe was not stored");
  return toRecipe(row);
}

export async function renameRecipe(db: Db, id: string, name: string): Promise<Recipe> {
  const [row] = await db.update(recipes).set({ name }).where(eq(recipes.id, id)).returning();
  if (!row) throw notFound("such recipe");
  return toRecipe(row);
}

/** Removes a recipe and gives back what it was, so that it can be saved again. */
export async function deleteRecipe(db: Db, id: string): Promise<Recipe> {
  const [row] = await db.delete(recipes).where(eq(recipes.id, id)).returning();
  if (!row) throw notFound("such recipe");
  return toRecipe(row);
}
