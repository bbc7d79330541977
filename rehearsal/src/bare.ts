/** What may be told of what came: addresses lose what stands behind their path, where codes and the secrets of links are. */
export function bare(text: string): string {
  return (
    text
      .replace(/(https?:\/\/[^\s?#"'”]*)[?#][^\s"'”]*/g, "$1")
      // Nor does an application's text steer a terminal.
      .replace(/\p{Cc}+/gu, " ")
  );
}
