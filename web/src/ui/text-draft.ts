/** Saves a text of what it was typed for; false, or a promise of it, when that failed. */
export type SaveText<About> = (value: string, about: About | undefined) => unknown;

/**
 * A text while somebody types it. States: shown (what is saved), typing (a draft of its own), failed (a draft that could not be saved). Typing -> shown by saving, cancelling, or when the
 * field comes to be about something else, which saves the draft of what it was typed for; shown -> failed when the server says that it was not saved, and from there as from typing.
 */
export class TextDraft<About> {
  text: string;
  /** What somebody else saved while this was being typed. */
  theirs: string | undefined;
  /** What was typed could not be saved; it is saved with the next try. */
  hasFailed = false;
  private saved: string;
  private about: About | undefined;
  private isTyping = false;
  private readonly onSave: SaveText<About>;
  private readonly onFailed: () => void;

  constructor(
    value: string,
    about: About | undefined,
    onSave: SaveText<About>,
    onFailed: () => void = () => undefined,
  ) {
    this.text = value;
    this.saved = value;
    this.about = about;
    this.onSave = onSave;
    this.onFailed = onFailed;
  }

  type(text: string): void {
    this.text = text;
    this.isTyping = true;
    this.hasFailed = false;
  }

  /** What is saved now, and of what. */
  take(value: string, about: About | undefined): void {
    if (about !== this.about) {
      this.save();
      this.about = about;
    } else if (this.isTyping) {
      if (value !== this.saved && value !== this.text) this.theirs = value;
      this.saved = value;
      return;
    }
    this.saved = value;
    this.show(value);
  }

  save(): void {
    if (!this.isTyping) return;
    const { text, about } = this;
    this.show(text);
    if (text === this.saved) return;
    void Promise.resolve(this.onSave(text, about)).then((answer) => {
      if (answer === false && !this.isTyping && this.about === about) this.keep(text);
    });
  }

  cancel(): void {
    this.show(this.saved);
  }

  private show(text: string): void {
    this.text = text;
    this.isTyping = false;
    this.hasFailed = false;
    this.theirs = undefined;
  }

  /** A draft again, as it could not be saved. */
  private keep(text: string): void {
    this.text = text;
    this.isTyping = true;
    this.hasFailed = true;
    this.onFailed();
  }
}
