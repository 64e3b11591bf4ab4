// Undo and redo of a document that is replaced whole at every change.
const DEEPEST = 500;

export class History {
  constructor(document) {
    this.current = document;
    this.past = [];
    this.future = [];
  }

  change(document) {
    this.past.push(this.current);
    if (this.past.length > DEEPEST) this.past.shift();
    this.future = [];
    this.current = document;
  }

  // The same step, gone on with: as a text is typed.
  amend(document) {
    this.current = document;
    this.future = [];
  }

  undo() {
    if (this.past.length) {
      this.future.push(this.current);
      this.current = this.past.pop();
    }
    return this.current;
  }

  redo() {
    if (this.future.length) {
      this.past.push(this.current);
      this.current = this.future.pop();
    }
    return this.current;
  }
}
