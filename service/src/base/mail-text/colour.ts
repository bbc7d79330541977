/** Black or white, whichever is read more easily on a colour (WCAG 2.2, relative luminance). */
export function contrastColour(background: string): "#ffffff" | "#111111" {
  const [red = 0, green = 0, blue = 0] = [1, 3, 5].map((at) => {
    const part = Number.parseInt(background.slice(at, at + 2), 16) / 255;
    return part <= 0.04045 ? part / 12.92 : ((part + 0.055) / 1.055) ** 2.4;
  });
  const luminance = 0.2126 * red + 0.7152 * green + 0.0722 * blue;
  // (1 + 0.05) / (L + 0.05) against (L + 0.05) / (dark + 0.05), the dark one having 0.0056.
  return 1.05 / (luminance + 0.05) >= (luminance + 0.05) / 0.0556 ? "#ffffff" : "#111111";
}
