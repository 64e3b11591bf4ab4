export const sha256: { create(): { update(bytes: ArrayBuffer): void; hex(): string } };
