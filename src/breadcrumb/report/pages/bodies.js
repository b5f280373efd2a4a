"use strict";
// Bodies: where the shapes of objects are, as points in the world that are joined, and rounded by a radius.
const breadcrumbBodies = (() => {
  function turnedBy(vectors, turn, plan, way) { // by an angle in plan, in radians, or by a quaternion x, y, z, w
    if (turn.length === 1) {
      const cos = Math.cos(turn[0]), sin = Math.sin(turn[0]) * way;
      return vectors.map((vector) => {
        const [first, second] = vector.length > 2 ? plan : [0, 1], result = [...vector];
        result[first] = vector[first] * cos - vector[second] * sin;
        result[second] = vector[first] * sin + vector[second] * cos;
        return result;
      });
    }
    const [x, y, z, w] = turn;
    return vectors.map(([a, b, c]) => {
      const cross = [y * c - z * b, z * a - x * c, x * b - y * a];
      const again = [y * cross[2] - z * cross[1], z * cross[0] - x * cross[2], x * cross[1] - y * cross[0]];
      return [a, b, c].map((part, axis) => part + 2 * (w * cross[axis] + again[axis]));
    });
  }
  function cornersOf(sizes) { // of a box, in order round it if it is one in plan
    if (sizes.length === 2) return [[-1, -1], [1, -1], [1, 1], [-1, 1]].map((signs) => signs.map((sign, axis) => (sign * sizes[axis]) / 2));
    return [...Array(8).keys()].map((bits) => sizes.map((size, axis) => (bits >> axis & 1 ? size : -size) / 2));
  }
  function hull(points) { // the chain of Andrew (1979), for the corners of a box in space as they are seen
    const sorted = [...points].sort((a, b) => a[0] - b[0] || a[1] - b[1]), half = (list) => {
      const made = [];
      for (const point of list) {
        while (made.length > 1 && (made.at(-1)[0] - made.at(-2)[0]) * (point[1] - made.at(-2)[1]) <= (made.at(-1)[1] - made.at(-2)[1]) * (point[0] - made.at(-2)[0])) made.pop();
        made.push(point);
      }
      return made.slice(0, -1);
    };
    return [...half(sorted), ...half(sorted.reverse())];
  }
  const isRecorded = (told) => (Array.isArray(told) ? told.some(isRecorded) : typeof told === "string");
  // The corners of a shape before it is turned, as vectors of the world, and its radius.
  function formOf({ shape, plan }, size, dimensions) {
    if (shape.edges) {
      const [left, right, top, bottom] = shape.edges.map(size);
      return { vectors: [[left, top], [right, top], [right, bottom], [left, bottom]], radius: 0, isPlaced: true };
    }
    const form = Object.keys(shape).find((one) => one !== "offset" && one !== "turn"), told = shape[form];
    const radius = form === "circle" || form === "sphere" ? size(told) : form === "capsule" ? size(told[2]) : 0;
    const own = form === "box" ? cornersOf(told.map(size)) : form === "capsule" ? told.slice(0, 2) : form === "polygon" ? told : [[]];
    const offset = shape.offset || [];
    const vectors = own.map((point) => {
      const length = Math.max(point.length, offset.length), vector = Array(dimensions).fill(0);
      for (let axis = 0; axis < length; axis++) vector[length === 2 && dimensions === 3 ? plan[axis] : axis] += (point[axis] || 0) + (offset[axis] || 0);
      return vector;
    });
    return { vectors, radius, isBox: form === "box" && own.length === 8 };
  }
  return {
    // Returns the points of a body in the world and its radius; null if a part of it is missing.
    of(body, valuesOf, position) {
      const { shape, plan, way } = body, { offset, turn: turned, ...sizes } = shape;
      let form = body.form; // found once where no size is recorded
      if (!form) {
        form = formOf(body, (told) => (typeof told === "string" ? valuesOf(told)[0] : told), position.length);
        if (!Object.values(sizes).some(isRecorded)) body.form = form;
      }
      const turn = turned ? valuesOf(turned, true) : null;
      const points = form.isPlaced ? form.vectors : turn ? turnedBy(form.vectors, turn, plan, way) : form.vectors.map((vector) => [...vector]);
      let sum = form.radius;
      for (const point of points) for (let axis = 0; axis < point.length; axis++) { if (!form.isPlaced) point[axis] += position[axis]; sum += point[axis]; }
      return Number.isFinite(sum) ? { points, radius: form.radius, isBox: form.isBox } : null;
    },
    // Adds the outline of a body, whose points are pixels, to a path.
    lay(paint, body, pixels, scale) {
      const seen = body.isBox ? hull(pixels) : pixels;
      if (seen.length === 1) { paint.moveTo(seen[0][0] + body.radius * scale, seen[0][1]); paint.arc(seen[0][0], seen[0][1], body.radius * scale, 0, 7); }
      seen.forEach(([x, y], index) => { if (seen.length > 1) index ? paint.lineTo(x, y) : paint.moveTo(x, y); });
      if (seen.length > 2) paint.lineTo(seen[0][0], seen[0][1]); // to close a path takes longer, the longer it is
    },
  };
})();
