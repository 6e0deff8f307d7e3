import { database } from "@/server/db/connect";
import { answer, bodyOf } from "@/server/http/answer";
import { recipeBody } from "@/contract/recipe";
import { listRecipes, saveRecipe } from "@/server/services/recipes";

export const dynamic = "force-dynamic";

export const GET = answer(async () => Response.json(await listRecipes(database().db)));

export const POST = answer(async (request) => {
  const { name, slip } = await bodyOf(request, recipeBody);
  return Response.json(await saveRecipe(database().db, name, slip), { status: 201 });
});
