/**
 * A text while somebody types it. States: shown (what is saved), typing (a draft of its own); typing -> shown by saving, cancelling, or when the field comes to
 * be about something else, which saves the draft of what it was typed for.
 */
export class TextDraft<About> {
  text: string;
  /** What somebody else saved while this was being typed. */
  theirs: string | undefined;
  private saved: string;
  private about: About | undefined;
  private isTyping = false;
  private readonly onSave: (value: string, about: About | undefined) => void;

  constructor(value: string, about: About | undefined, onSave: (value: string, about: About | undefined) => void) {
    this.text = value;
    this.saved = value;
    this.about = about;
    this.onSave = onSave;
  }

  type(text: string): void {
    this.text = text;
    this.isTyping = true;
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
    this.text = value;
    this.theirs = undefined;
  }

  save(): void {
    if (!this.isTyping) return;
    this.isTyping = false;
    this.theirs = undefined;
    if (this.text !== this.saved) this.onSave(this.text, this.about);
  }

  cancel(): void {
    this.isTyping = false;
    this.theirs = undefined;
    this.text = this.saved;
  }
}
