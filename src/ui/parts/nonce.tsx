'use client';

import { createContext } from 'react';

/** The page's style nonce, for the few library parts that write a style element of their own. */
export const Nonce = createContext('');
