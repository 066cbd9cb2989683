/** Text without control characters and surrounding blanks; line breaks stay where `multiline`, as single `\n`. */
export function tidyText(text: string, multiline: boolean): string {
  const clean = text
    .normalize('NFC')
    .replace(/\r\n?/g, '\n')
    // eslint-disable-next-line no-control-regex -- control characters are what is removed
    .replace(/[\u0000-\u0009\u000b-\u001f\u007f\ufeff\ufffe\uffff]/g, ' ');
  return (multiline ? clean : clean.replaceAll('\n', ' ')).toWellFormed().trim();
}
