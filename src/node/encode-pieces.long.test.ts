import { CASES, expectSameFilm } from '@/test-support/pieces';

/** The rest of what `encode-pieces.test.ts` begins: every kind of treatment and codec, in pieces. */
test.each(CASES.slice(2))('$name in pieces is the same film, picture by picture', expectSameFilm);
