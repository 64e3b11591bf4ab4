// The boards of the shot: begun here, edited on a page of their own.
import { post } from "../api.js";

export const boards = (page) => ({
  boards: page.boards,
  templates: page.templates,

  newBoard(event) {
    const chosen = event.target.value;
    event.target.value = "";
    if (chosen === "file") this.$refs.boardFile.click();
    else if (chosen) this.makeBoard({ template: chosen });
  },
  async boardFromFile(event) {
    const [file] = event.target.files;
    event.target.value = "";
    if (file) await this.makeBoard({ text: await file.text() });
  },
  async makeBoard(what) {
    await this.guarded(async () => {
      const { url } = await (await post(page.urls["board-new"], what)).json();
      window.location.assign(url);
    });
  },
  async removeBoard(board) {
    await this.changeBoard(board, {});
    if (!this.fault)
      this.removed = { what: `board ${board.name}`, back: () => this.changeBoard(board, { restore: true }) };
  },
  async changeBoard(board, body) {
    await this.guarded(async () => (this.boards = (await (await post(board.remove, body)).json()).boards));
  },
});
