import { database } from "@/server/db/connect";
import { answer } from "@/server/http/answer";
import { deleteRecipe } from "@/server/services/recipes";

export const dynamic = "force-dynamic";

export const POST = answer(async (_request, { id = "" }) => Response.json(await deleteRecipe(database().db, id)));
