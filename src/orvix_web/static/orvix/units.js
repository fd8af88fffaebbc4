// Lengths on paper and in px, in the fields of a size. The core's rule for what is typed is `orvix/units.py`.
const MM_AN_INCH = 25.4;
const DIGITS = { px: 0, mm: 1, cm: 2, inch: 3 };

// How many px one of a unit is.
export const perUnit = (unit, ppi) => ({ px: 1, mm: ppi / MM_AN_INCH, cm: (10 * ppi) / MM_AN_INCH, inch: ppi })[unit];

// A length in px as a field of that unit shows it.
export const inUnit = (px, unit, ppi) => String(Number((px / perUnit(unit, ppi)).toFixed(DIGITS[unit])));

// A length in px as mm of paper, in words.
export const mm = (px, ppi) => (px / perUnit("mm", ppi)).toFixed(1);
