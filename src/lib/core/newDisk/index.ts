export { ontoDisk, withBought } from './onto';
export { planOnto, type Onto } from './plan';
export { buyable, sectorsSold, type Buyable } from './sizes';
