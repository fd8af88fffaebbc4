// A typed number: a sum, with a decimal comma, in any unit of length or in percent.

const MM_OF = { mm: 1, cm: 10, m: 1000, in: 25.4, inch: 25.4, inches: 25.4, '"': 25.4 };
const TOKEN = /\s*(?:(\d+(?:[.,]\d*)?|[.,]\d+)|([-+*/×÷:()−])|([a-z%°"]+))/iy;
const SAME = new Map([
  ["×", "*"],
  ["÷", "/"],
  [":", "/"],
  ["−", "-"],
]);

function tokensOf(text) {
  const found = [];
  TOKEN.lastIndex = 0;
  while (TOKEN.lastIndex < text.trimEnd().length) {
    const match = TOKEN.exec(text);
    if (!match) return null;
    const [, number, sign, unit] = match;
    if (number) found.push({ number: Number(number.replace(",", ".")) });
    else if (sign) found.push({ sign: SAME.get(sign) ?? sign });
    else found.push({ unit: unit.toLowerCase() });
  }
  return found;
}

// How many of the field's unit one of the typed unit is.
function factor(typed, unit, ppi) {
  const same = typed === unit || (typed === "°" && unit === "degrees") || (typed === "%" && unit.startsWith("percent"));
  if (same) return 1;
  if (typed === "px" && MM_OF[unit]) return 25.4 / ppi / MM_OF[unit];
  if (!MM_OF[typed]) return NaN;
  if (unit === "px") return (MM_OF[typed] / 25.4) * ppi;
  return MM_OF[unit] ? MM_OF[typed] / MM_OF[unit] : NaN;
}

// Reads tokens from left to right: sums of products of single numbers.
class Reader {
  constructor(tokens, field) {
    this.tokens = tokens;
    this.field = field;
    this.at = 0;
  }

  sign(...wanted) {
    const found = this.tokens[this.at]?.sign;
    if (!wanted.includes(found)) return null;
    this.at += 1;
    return found;
  }

  sum() {
    let value = this.product();
    for (let next = this.sign("+", "-"); next; next = this.sign("+", "-")) {
      value += (next === "+" ? 1 : -1) * this.product();
    }
    return value;
  }

  product() {
    let value = this.single();
    for (let next = this.sign("*", "/"); next; next = this.sign("*", "/")) {
      value = next === "*" ? value * this.single() : value / this.single();
    }
    return value;
  }

  single() {
    const way = this.sign("-", "+") === "-" ? -1 : 1;
    let value = NaN;
    if (this.sign("(")) {
      value = this.sum();
      if (!this.sign(")")) return NaN;
    } else if (this.tokens[this.at]?.number !== undefined) {
      value = this.tokens[this.at].number;
      this.at += 1;
    }
    const unit = this.tokens[this.at]?.unit;
    if (!unit) return way * value;
    this.at += 1;
    return way * value * factor(unit, this.field.unit, this.field.ppi);
  }
}

/**
 * The number that a text stands for, in the unit of its field; NaN where it stands for none.
 * @param {string} text as "300/2", "1,5", "3 cm", "(2 + 0.5) * 4"
 * @param {{unit?: string, ppi?: number}} [field] unit: px, mm, cm, m, in, %, ° or nothing
 */
export function numberOf(text, { unit = "", ppi = 300 } = {}) {
  const tokens = tokensOf(String(text));
  if (!tokens?.length) return NaN;
  const reader = new Reader(tokens, { unit, ppi });
  const value = reader.sum();
  return reader.at === tokens.length && Number.isFinite(value) ? value : NaN;
}

// The text of a number, without the noise of its last digits.
export const asText = (value) => String(Number(value.toFixed(6)));
