import { createContext } from 'svelte';
import type { Feed } from './feed';

/** What is done in the workshop, for whatever stands on the page. */
export const [feedHere, setFeed] = createContext<Feed>();
