"use strict";
// Arrays of numbers as they lie in a page.
const breadcrumbUnpacked = (() => {
  const ARRAYS = { f4: Float32Array, f8: Float64Array, i4: Int32Array, u1: Uint8Array };
  return (text, type) => {
    const letters = atob(text), bytes = new Uint8Array(letters.length);
    for (let at = 0; at < letters.length; at++) bytes[at] = letters.charCodeAt(at);
    return new ARRAYS[type](bytes.buffer);
  };
})();
