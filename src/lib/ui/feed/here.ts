import { createContext } from 'svelte';
import type { Feed } from './feed';

/** What is done at the bench, for whatever stands on the page. */
export const [feedHere, setFeed] = createContext<Feed>();
