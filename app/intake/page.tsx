import { IntakeScreen } from "@/ui/intake/intake";

export const metadata = { title: "Import" };

export default function Page() {
  return <IntakeScreen />;
}
