import { ShelfPage } from '@/ui/shelf/shelf-page';

export default function Page() {
  return <ShelfPage />;
}
