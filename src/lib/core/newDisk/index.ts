export { planOntoDisk, withBought } from './onto';
export { planOnto, type Onto } from './plan';
export { findBuyable, sectorsSold, type Buyable } from './sizes';
