export { planOntoDisk, withBought } from './onto';
export { planOnto, type Onto } from './plan';
export { findBuyable, countSectorsSold, type Buyable } from './sizes';
