import { database } from "@/server/db/connect";
import { route } from "@/server/http/operation";
import { listRecipes, saveRecipe } from "@/server/services/recipes";

export const dynamic = "force-dynamic";

export const GET = route("GET /api/recipes", () => listRecipes(database().db));

export const POST = route("POST /api/recipes", ({ body }) => saveRecipe(database().db, body.name, body.slip));
