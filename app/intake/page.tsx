import { IntakeScreen } from "@/ui/intake/intake";

export const metadata = { title: "What arrived" };

export default function Page() {
  return <IntakeScreen />;
}
