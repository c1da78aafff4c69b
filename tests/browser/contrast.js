// Texts whose contrast falls short of WCAG 2.2, 1.4.3: 4.5 to 1, 3 to 1 where large. Disabled
// controls are exempt.
() => {
  const light = (c) => { const l = c.map((v) => (v /= 255) <= 0.03928 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4);
    return 0.2126 * l[0] + 0.7152 * l[1] + 0.0722 * l[2]; };
  const canvas = document.createElement("canvas").getContext("2d", { willReadFrequently: true });
  const rgba = (text) => { canvas.clearRect(0, 0, 1, 1); canvas.fillStyle = text; canvas.fillRect(0, 0, 1, 1);
    const d = canvas.getImageData(0, 0, 1, 1).data; return [d[0], d[1], d[2], d[3] / 255]; };
  const over = (top, under) => [0, 1, 2].map((k) => top[3] * top[k] + (1 - top[3]) * under[k]);
  const behind = (e) => { const seen = [];
    for (let p = e; p; p = p.parentElement) { const c = rgba(getComputedStyle(p).backgroundColor); seen.push(c); if (c[3] === 1) break; }
    return seen.reverse().reduce((under, c) => over(c, under), [255, 255, 255]); };
  const poor = [];
  for (const e of document.querySelectorAll("body *")) {
    const own = [...e.childNodes].some((n) => n.nodeType === 3 && n.textContent.trim());
    const style = getComputedStyle(e), box = e.getBoundingClientRect();
    if (!own || !box.width || !box.height || style.visibility === "hidden" || e.closest(":disabled, [aria-hidden=true], .katex-mathml, .sr, .sr-only, .u-legend, option, title, style, script")) continue;
    let opacity = 1;
    for (let p = e; p; p = p.parentElement) opacity *= Number(getComputedStyle(p).opacity);
    const drawn = e.closest("svg") && e.tagName !== "svg", disc = drawn && e.previousElementSibling;
    const holds = (d) => { const r = d.getBoundingClientRect(); return r.left <= box.left && r.right >= box.right; };
    const fill = disc && /circle|rect/.test(disc.tagName) && holds(disc) ? rgba(getComputedStyle(disc).fill) : [0, 0, 0, 0];
    const under = over(fill, behind(e));
    const ink = rgba(drawn ? style.fill : style.color);
    const top = over([ink[0], ink[1], ink[2], ink[3] * opacity], under);
    const [a, b] = [light(top), light(under)].sort((p, q) => q - p);
    const size = parseFloat(style.fontSize), large = size >= 24 || (size >= 18.66 && Number(style.fontWeight) >= 700);
    const ratio = (a + 0.05) / (b + 0.05);
    if (ratio < (large ? 3 : 4.5)) poor.push(`${ratio.toFixed(2)}: "${e.textContent.trim().slice(0, 40)}" ${e.className.baseVal ?? e.className}`);
  }
  return [...new Set(poor)];
}
