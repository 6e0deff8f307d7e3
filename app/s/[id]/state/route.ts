import { notFound } from "@/server/fault";
import { answer } from "@/server/http/answer";
import { handedState, stateText } from "@/ui/session/page-state";

export const dynamic = "force-dynamic";

/** The state that a page of this session is being made with; its key is in that page alone. */
export const GET = answer(async (request, { id = "" }) => {
  const state = handedState(new URL(request.url).searchParams.get("key") ?? "");
  if (state?.id !== id) throw notFound(`page of session "${id}"`);
  return new Response(stateText(state), {
    headers: { "Content-Type": "application/json", "Cache-Control": "no-store" },
  });
});
