import { database } from "@/server/db/connect";
import { route } from "@/server/http/operation";
import { deleteRecipe } from "@/server/services/recipes";

export const dynamic = "force-dynamic";

export const POST = route("POST /api/recipes/{id}/delete", ({ params }) => deleteRecipe(database().db, params.id));
