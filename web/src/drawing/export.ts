import { fileName, hand } from "../parts/saving";

/** The sheet as a file of its own: SVG with its styles, PNG, or a PDF that holds the picture. */

const STYLES = [
  "fill",
  "fill-opacity",
  "fill-rule",
  "stroke",
  "stroke-width",
  "stroke-dasharray",
  "stroke-opacity",
  "stroke-linejoin",
  "opacity",
  "font-family",
  "font-size",
  "font-weight",
  "text-anchor",
  "letter-spacing",
  "paint-order",
];

/** A copy of a drawing that looks the same without the page's style sheet. */
export function standalone(svg: SVGSVGElement): string {
  const copy = svg.cloneNode(true) as SVGSVGElement;
  const [from, to] = [svg.querySelectorAll<SVGElement>("*"), copy.querySelectorAll<SVGElement>("*")];
  from.forEach((e, k) => {
    const style = getComputedStyle(e);
    to[k]!.setAttribute(
      "style",
      STYLES.map((s) => `${s}:${style.getPropertyValue(s).replace(/"/g, "'")}`).join(";"),
    );
    to[k]!.removeAttribute("class");
  });
  const box = svg.viewBox.baseVal;
  copy.setAttribute("xmlns", "http://www.w3.org/2000/svg");
  copy.setAttribute("width", String(box.width));
  copy.setAttribute("height", String(box.height));
  copy.removeAttribute("class");
  return new XMLSerializer().serializeToString(copy);
}

/** The page's own fonts, as rules that carry them along: a picture cannot reach the page's. */
async function fonts(): Promise<string> {
  const rules = [...document.styleSheets]
    .flatMap((s) => [...s.cssRules])
    .filter((r): r is CSSFontFaceRule => r instanceof CSSFontFaceRule)
    .filter((r) => {
      const range = r.style.getPropertyValue("unicode-range");
      return !range || range.toUpperCase().includes("U+0-FF") || range.toUpperCase().includes("U+0000-00FF");
    });
  const carried = await Promise.all(
    rules.map(async (r) => {
      const url = /url\("?([^")]+\.woff2)"?\)/.exec(r.style.getPropertyValue("src"))?.[1];
      if (!url) return "";
      const bytes = new Uint8Array(
        await (await fetch(new URL(url, r.parentStyleSheet?.href ?? location.href))).arrayBuffer(),
      );
      const text = btoa(bytes.reduce((s, b) => s + String.fromCharCode(b), ""));
      return `@font-face{font-family:${r.style.getPropertyValue("font-family")};font-weight:${r.style.getPropertyValue("font-weight") || "400"};src:url(data:font/woff2;base64,${text})}`;
    }),
  );
  return carried.join("");
}

/** The same with its fonts inside. */
async function complete(svg: SVGSVGElement): Promise<string> {
  return standalone(svg).replace(/(<svg[^>]*>)/, `$1<style>${await fonts()}</style>`);
}

const SHARPNESS = 3; // pixels of the picture per pixel of the screen

/** An SVG as an image that can be painted. */
async function decoded(text: string): Promise<HTMLImageElement> {
  const image = new Image(),
    url = URL.createObjectURL(new Blob([text], { type: "image/svg+xml" }));
  try {
    image.src = url;
    await image.decode();
  } finally {
    URL.revokeObjectURL(url);
  }
  return image;
}

async function painted(svg: SVGSVGElement): Promise<HTMLCanvasElement> {
  const image = await decoded(await complete(svg));
  const canvas = document.createElement("canvas");
  canvas.width = svg.viewBox.baseVal.width * SHARPNESS;
  canvas.height = svg.viewBox.baseVal.height * SHARPNESS;
  const pen = canvas.getContext("2d")!;
  pen.fillStyle = getComputedStyle(svg.parentElement!).backgroundColor;
  pen.fillRect(0, 0, canvas.width, canvas.height);
  pen.drawImage(image, 0, 0, canvas.width, canvas.height);
  return canvas;
}

const blobOf = (canvas: HTMLCanvasElement, type: string) =>
  new Promise<Blob>((done) => canvas.toBlob((b) => done(b!), type, 0.94));

/** One page, landscape, filled by a JPEG picture; objects and their places after ISO 32000. */
export function pdfOf(jpeg: Uint8Array, width: number, height: number): Blob {
  const points = 72 / 96 / SHARPNESS; // per pixel of the picture
  const [wide, high] = [points * width, points * height].map((v) => v.toFixed(2));
  const drawing = `q ${wide} 0 0 ${high} 0 0 cm /S Do Q`;
  const heads = [
    "<< /Type /Catalog /Pages 2 0 R >>",
    "<< /Type /Pages /Kids [3 0 R] /Count 1 >>",
    `<< /Type /Page /Parent 2 0 R /MediaBox [0 0 ${wide} ${high}] /Contents 4 0 R /Resources << /XObject << /S 5 0 R >> >> >>`,
    `<< /Length ${drawing.length} >>\nstream\n${drawing}\nendstream`,
  ];
  const parts: (string | Uint8Array)[] = ["%PDF-1.4\n"];
  const places: number[] = [];
  let at = 9;
  const put = (p: string | Uint8Array) => {
    parts.push(p);
    at += p.length;
  };
  heads.forEach((h, k) => {
    places.push(at);
    put(`${k + 1} 0 obj\n${h}\nendobj\n`);
  });
  places.push(at);
  put(
    `5 0 obj\n<< /Type /XObject /Subtype /Image /Width ${width} /Height ${height} /ColorSpace /DeviceRGB /BitsPerComponent 8 /Filter /DCTDecode /Length ${jpeg.length} >>\nstream\n`,
  );
  put(jpeg);
  put("\nendstream\nendobj\n");
  const table = at;
  put(
    `xref\n0 6\n0000000000 65535 f \n${places.map((p) => `${String(p).padStart(10, "0")} 00000 n \n`).join("")}trailer\n<< /Size 6 /Root 1 0 R >>\nstartxref\n${table}\n%%EOF\n`,
  );
  return new Blob(parts as BlobPart[], { type: "application/pdf" });
}

export async function save(svg: SVGSVGElement, as: "svg" | "png" | "pdf", name: string): Promise<void> {
  let blob: Blob;
  if (as === "svg") blob = new Blob([await complete(svg)], { type: "image/svg+xml" });
  else {
    const canvas = await painted(svg);
    if (as === "png") blob = await blobOf(canvas, "image/png");
    else
      blob = pdfOf(
        new Uint8Array(await (await blobOf(canvas, "image/jpeg")).arrayBuffer()),
        canvas.width,
        canvas.height,
      );
  }
  hand(blob, `${fileName(name)}.${as}`);
}

interface Shown {
  canvas: HTMLCanvasElement | null;
  at: DOMRect;
  opacity: string;
  svg: SVGSVGElement | null;
  left: number;
  top: number;
}

/** The pictures of a group and where they stand in it, below a title if there is one. */
function shown(group: HTMLElement, title: string) {
  const whole = group.getBoundingClientRect(),
    head = title ? 30 : 0;
  const pictures = [...group.querySelectorAll<HTMLElement>("[data-picture]")].map<Shown>((picture) => {
    const own = picture.getBoundingClientRect(),
      canvas = picture.querySelector("canvas"),
      c = (canvas ?? picture).getBoundingClientRect();
    return {
      canvas,
      at: new DOMRect(c.left - whole.left, c.top - whole.top + head, c.width, c.height),
      opacity: canvas?.parentElement?.style.opacity || "1",
      svg: picture.querySelector<SVGSVGElement>("svg.dwg"),
      left: own.left - whole.left,
      top: own.top - whole.top + head,
    };
  });
  const look = getComputedStyle(document.documentElement);
  return {
    pictures,
    width: Math.round(whole.width),
    height: Math.round(whole.height + head),
    paper: getComputedStyle(group.querySelector("[data-picture]")!).backgroundColor,
    ink: look.getPropertyValue("--soot").trim(),
  };
}

/** Every picture of a group, one SVG: fields as images, what is drawn over them as it is. */
export async function picturesAsSvg(group: HTMLElement, title: string): Promise<string> {
  const { pictures, width, height, paper, ink } = shown(group, title),
    parts: string[] = [];
  for (const { canvas, at, opacity, svg, left, top } of pictures) {
    if (canvas)
      parts.push(
        `<image x="${at.x}" y="${at.y}" width="${at.width}" height="${at.height}" opacity="${opacity}" style="image-rendering:pixelated" href="${canvas.toDataURL("image/png")}"/>`,
      );
    if (svg) parts.push((await withImages(standalone(svg))).replace("<svg ", `<svg x="${left}" y="${top}" `));
  }
  const words = title
    ? `<text x="22" y="20" fill="${ink}" font-family="Barlow" font-size="15" font-weight="500">${title.replace(/&/g, "&amp;").replace(/</g, "&lt;")}</text>`
    : "";
  return `<svg xmlns="http://www.w3.org/2000/svg" width="${width}" height="${height}" viewBox="0 0 ${width} ${height}"><style>${await kept()}</style><rect width="100%" height="100%" fill="${paper}"/>${words}${parts.join("")}</svg>`;
}

const DRAWINGS = 8; // remembered from one picture of a film to the next

/** The same painted. What is drawn over fields is made anew only where it changed: `made` remembers it. */
export async function picturesPainted(
  group: HTMLElement,
  title: string,
  sharp = 1,
  made = new Map<string, HTMLImageElement>(),
): Promise<HTMLCanvasElement> {
  const { pictures, width, height, paper, ink } = shown(group, title),
    canvas = document.createElement("canvas");
  [canvas.width, canvas.height] = [width * sharp, height * sharp];
  const pen = canvas.getContext("2d")!;
  pen.scale(sharp, sharp);
  pen.imageSmoothingEnabled = false;
  pen.fillStyle = paper;
  pen.fillRect(0, 0, width, height);
  pen.fillStyle = ink;
  pen.font = "500 15px Barlow";
  if (title) pen.fillText(title, 22, 20);
  for (const { canvas: field, at, opacity, svg, left, top } of pictures) {
    pen.globalAlpha = Number(opacity);
    if (field) pen.drawImage(field, at.x, at.y, at.width, at.height);
    pen.globalAlpha = 1;
    if (!svg) continue;
    const text = standalone(svg);
    let image = made.get(text);
    if (!image) {
      image = await decoded(
        (await withImages(text)).replace(/(<svg[^>]*>)/, `$1<style>${await kept()}</style>`),
      );
      made.set(text, image);
      if (made.size > DRAWINGS) made.delete(made.keys().next().value!);
    }
    pen.drawImage(image, left, top, svg.viewBox.baseVal.width, svg.viewBox.baseVal.height);
  }
  return canvas;
}

let carried: Promise<string> | null = null;
/** Fonts are read once; a film wants them for each of its pictures. */
const kept = () => (carried ??= fonts());

/** Images that only this page can reach, such as a photograph, carried along. */
async function withImages(text: string): Promise<string> {
  const urls = [...new Set([...text.matchAll(/href="(blob:[^"]+)"/g)].map((m) => m[1]!))];
  let whole = text;
  for (const url of urls) {
    const blob = await (await fetch(url)).blob();
    const data = await new Promise<string>((done) => {
      const reader = new FileReader();
      reader.onload = () => done(String(reader.result));
      reader.readAsDataURL(blob);
    });
    whole = whole.split(url).join(data);
  }
  return whole;
}

export const asPng = (canvas: HTMLCanvasElement) => blobOf(canvas, "image/png");
