import { database } from "@/server/db/connect";
import { answer, bodyOf } from "@/server/http/answer";
import { recipeBody } from "@/contract/recipe";
import { renameRecipe } from "@/server/services/recipes";

export const dynamic = "force-dynamic";

export const POST = answer(async (request, { id = "" }) =>
  Response.json(await renameRecipe(database().db, id, (await bodyOf(request, recipeBody.pick({ name: true }))).name)),
);
