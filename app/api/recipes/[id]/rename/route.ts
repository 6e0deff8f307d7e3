import { database } from "@/server/db/connect";
import { route } from "@/server/http/operation";
import { renameRecipe } from "@/server/services/recipes";

export const dynamic = "force-dynamic";

export const POST = route("POST /api/recipes/{id}/rename", ({ params, body }) =>
  renameRecipe(database().db, params.id, body.name),
);
