import { forward } from '../forward';

export const dynamic = 'force-dynamic';
export { forward as GET, forward as POST, forward as DELETE };
