"use strict";
// Arrays of numbers as they lie in a page: bytes in base 64, or differences in planes of bytes, deflated.
const breadcrumbPacked = (() => {
  const ARRAYS = { f4: Float32Array, f8: Float64Array, i4: Int32Array, u1: Uint8Array };
  const NO_NUMBER = -(2 ** 31);
  function bytesOf(text) {
    if (Uint8Array.fromBase64) return Uint8Array.fromBase64(text);
    const letters = atob(text), bytes = new Uint8Array(letters.length);
    for (let at = 0; at < letters.length; at++) bytes[at] = letters.charCodeAt(at);
    return bytes;
  }
  async function inflated(text) {
    const stream = new Blob([bytesOf(text)]).stream().pipeThrough(new DecompressionStream("deflate"));
    return new Uint8Array(await new Response(stream).arrayBuffer());
  }
  function words(bytes, first, many) { // the sums of differences; those of either sign are folded, and their bytes lie in planes
    const made = new Int32Array(many), second = first + many, third = second + many, fourth = third + many;
    for (let at = 0, word = 0; at < many; at++) {
      const folded = bytes[first + at] | (bytes[second + at] << 8) | (bytes[third + at] << 16) | (bytes[fourth + at] << 24);
      word = (word + ((folded >>> 1) ^ -(folded & 1))) | 0;
      made[at] = word;
    }
    return made;
  }
  function array(bytes, [form, begin, many]) {
    if (form === "u1") return bytes.subarray(begin, begin + many);
    if (form === "f8") return new Float64Array(bytes.slice(begin, begin + 8 * many).buffer);
    const whole = words(bytes, begin, many);
    if (form === "i4") return whole;
    if (form === "f4") return new Float32Array(whole.buffer);
    const made = new Float64Array(many), unit = 10 ** Number(form.slice(1)); // a number of decimals
    for (let at = 0; at < many; at++) made[at] = whole[at] === NO_NUMBER ? NaN : whole[at] / unit;
    return made;
  }
  return { inflated, array, plain: (text, form) => new ARRAYS[form](bytesOf(text).buffer) };
})();
