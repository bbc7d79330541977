/** What may be told of what came: addresses lose what stands behind their path, where codes and the secrets of links are. */
export function bare(text: string): string {
  return (
    text
      .replace(/(https?:\/\/[^\s?#"'”]*)[?#][^\s"'”]*/g, "$1")
      // Nor does an application's text steer a terminal.
      .replace(/\p{Cc}+/gu, " ")
  );
}

/** Letters of what a page says that are told. */
const MAX_LENGTH = 120;

/** The beginning of what a page says, up to a word. */
export const brief = (said: string): string =>
  said.length <= MAX_LENGTH ? said : `${said.slice(0, MAX_LENGTH).replace(/\s+\S*$/, "")} …`;
