import { RunningPage } from "@/ui/running/running-page";

export const metadata = { title: "How it runs" };

export default function Page() {
  return <RunningPage />;
}
