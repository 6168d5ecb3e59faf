// BLAKE2s with a key and a digest of 32 bytes, after RFC 7693. By hand, because a page over plain HTTP is
// given no crypto.subtle. Only messages of up to one block are needed: a challenge has 16 bytes.

const START = new Uint32Array([
  0x6a09e667, 0xbb67ae85, 0x3c6ef372, 0xa54ff53a, 0x510e527f, 0x9b05688c, 0x1f83d9ab, 0x5be0cd19,
]);

const ORDER = [
  [0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12, 13, 14, 15],
  [14, 10, 4, 8, 9, 15, 13, 6, 1, 12, 0, 2, 11, 7, 5, 3],
  [11, 8, 12, 0, 5, 2, 15, 13, 10, 14, 3, 6, 7, 1, 9, 4],
  [7, 9, 3, 1, 13, 12, 11, 14, 2, 6, 5, 10, 4, 0, 15, 8],
  [9, 0, 5, 7, 2, 4, 10, 15, 14, 1, 11, 12, 6, 8, 3, 13],
  [2, 12, 6, 10, 0, 11, 8, 3, 4, 13, 7, 5, 15, 14, 1, 9],
  [12, 5, 1, 15, 14, 13, 4, 10, 0, 7, 6, 3, 9, 2, 8, 11],
  [13, 11, 7, 14, 12, 1, 3, 9, 5, 0, 15, 4, 8, 6, 2, 10],
  [6, 15, 14, 9, 11, 3, 0, 8, 12, 2, 13, 7, 1, 4, 10, 5],
  [10, 2, 8, 4, 7, 6, 1, 5, 15, 11, 9, 14, 3, 12, 13, 0],
];

const turned = (word, by) => (word >>> by) | (word << (32 - by));

function compress(hash, block, count, last) {
  const words = new Uint32Array(16);
  for (let i = 0; i < 64; i++) words[i >> 2] |= block[i] << (8 * (i & 3));
  const v = new Uint32Array(16);
  v.set(hash);
  v.set(START, 8);
  v[12] ^= count;
  if (last) v[14] = ~v[14];
  const mix = (a, b, c, d, x, y) => {
    v[a] = v[a] + v[b] + x;
    v[d] = turned(v[d] ^ v[a], 16);
    v[c] = v[c] + v[d];
    v[b] = turned(v[b] ^ v[c], 12);
    v[a] = v[a] + v[b] + y;
    v[d] = turned(v[d] ^ v[a], 8);
    v[c] = v[c] + v[d];
    v[b] = turned(v[b] ^ v[c], 7);
  };
  for (const order of ORDER) {
    const m = (at) => words[order[at]];
    mix(0, 4, 8, 12, m(0), m(1));
    mix(1, 5, 9, 13, m(2), m(3));
    mix(2, 6, 10, 14, m(4), m(5));
    mix(3, 7, 11, 15, m(6), m(7));
    mix(0, 5, 10, 15, m(8), m(9));
    mix(1, 6, 11, 12, m(10), m(11));
    mix(2, 7, 8, 13, m(12), m(13));
    mix(3, 4, 9, 14, m(14), m(15));
  }
  for (let i = 0; i < 8; i++) hash[i] ^= v[i] ^ v[i + 8];
}

/** Keyed BLAKE2s of up to 64 bytes; all are hex digits. */
export function proof(tokenHex, messageHex) {
  const key = bytes(tokenHex);
  const message = bytes(messageHex);
  const hash = START.slice();
  hash[0] ^= 0x01010000 ^ (key.length << 8) ^ 32;
  const block = new Uint8Array(64);
  block.set(key);
  compress(hash, block, 64, false);
  block.fill(0);
  block.set(message);
  compress(hash, block, 64 + message.length, true);
  let text = "";
  for (const word of hash) {
    for (let i = 0; i < 4; i++) text += ((word >>> (8 * i)) & 255).toString(16).padStart(2, "0");
  }
  return text;
}

function bytes(hex) {
  return Uint8Array.from(hex.match(/../g) ?? [], (pair) => parseInt(pair, 16));
}
