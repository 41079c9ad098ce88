// What the stages of drills on a neck share: where a pointer is on the drawing, and keeping what is carried in sight.

// a pointer's place in the drawing's own units
export const place = (svg, event) => new DOMPoint(event.clientX, event.clientY).matrixTransform(svg.getScreenCTM().inverse());

// the least far of some
export const nearest = (all, far) => all.reduce((best, one) => (far(one) < far(best) ? one : best));

// a neck wider than its window is moved along to where something lies
export function follow(wrap, carried) {
  const [seen, bar] = [wrap.getBoundingClientRect(), carried.getBoundingClientRect()];
  if (bar.left < seen.left || bar.right > seen.right) wrap.scrollLeft += (bar.left + bar.right - seen.left - seen.right) / 2;
}
