import type { Metadata } from 'next';
import { RecipesPage } from '@/ui/recipes/recipes-page';

export const metadata: Metadata = { title: 'Recipes' };

export default function Page() {
  return <RecipesPage />;
}
