import { Workbench } from '@/ui/workbench';

export default function Page() {
  return <Workbench />;
}
