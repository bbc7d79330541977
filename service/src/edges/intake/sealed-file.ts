/**
 * A file that only this process can read: each part is sealed (AES-256-GCM) under a key that is kept in memory alone and dies with the
 * process. What is left on disk is of no use to anybody.
 */
import { createCipheriv, createDecipheriv, createHash, randomBytes } from "node:crypto";
import type { FileHandle } from "node:fs/promises";
import { open, rm } from "node:fs/promises";
import { NONCE_LENGTH } from "@lucchetto/core";

const CIPHER = "aes-256-gcm";
const TAG_LENGTH = 16;
const LENGTH_BYTES = 4;

export class SealedFile {
  readonly path: string;
  readonly #key = randomBytes(32);
  readonly #handle: FileHandle;
  readonly #content = createHash("sha256");
  #parts = 0;
  #size = 0;
  /** Ends when all that was added is written. */
  #writing: Promise<void> = Promise.resolve();

  private constructor(path: string, handle: FileHandle) {
    this.path = path;
    this.#handle = handle;
  }

  /** Makes a new one that nobody else may read. */
  static async create(path: string): Promise<SealedFile> {
    return new SealedFile(path, await open(path, "wx+", 0o600));
  }

  /** Bytes of what was added. */
  get size(): number {
    return this.#size;
  }

  /** SHA-256 of what was added. */
  get fingerprint(): string {
    return this.#content.copy().digest("hex");
  }

  /** Adds a part at the end. Its size counts at once, so that nobody adds another at the same place. */
  async add(bytes: Uint8Array): Promise<void> {
    const nonce = randomBytes(NONCE_LENGTH);
    const cipher = createCipheriv(CIPHER, this.#key, nonce, { authTagLength: TAG_LENGTH });
    // Parts cannot change places.
    cipher.setAAD(placeOf(this.#parts));
    const box = Buffer.concat([nonce, cipher.update(bytes), cipher.final(), cipher.getAuthTag()]);
    const length = Buffer.alloc(LENGTH_BYTES);
    length.writeUInt32BE(box.length);
    this.#content.update(bytes);
    this.#parts += 1;
    this.#size += bytes.length;
    this.#writing = this.#writing.then(() => this.#handle.appendFile(Buffer.concat([length, box])));
    await this.#writing;
  }

  /** What was added, part by part. @throws Error if the file was touched. */
  async *read(): AsyncGenerator<Buffer> {
    await this.#writing;
    let position = 0;
    for (let part = 0; part < this.#parts; part += 1) {
      const length = (await this.#take(position, LENGTH_BYTES)).readUInt32BE();
      const box = await this.#take(position + LENGTH_BYTES, length);
      position += LENGTH_BYTES + length;
      const decipher = createDecipheriv(CIPHER, this.#key, box.subarray(0, NONCE_LENGTH), {
        authTagLength: TAG_LENGTH,
      });
      decipher.setAAD(placeOf(part));
      decipher.setAuthTag(box.subarray(length - TAG_LENGTH));
      yield Buffer.concat([
        decipher.update(box.subarray(NONCE_LENGTH, length - TAG_LENGTH)),
        decipher.final(),
      ]);
    }
  }

  async #take(position: number, length: number): Promise<Buffer> {
    const bytes = Buffer.alloc(length);
    const { bytesRead } = await this.#handle.read(bytes, 0, length, position);
    if (bytesRead !== length) throw new Error("an upload is shorter than it was");
    return bytes;
  }

  /** Removes it. */
  async remove(): Promise<void> {
    await this.#handle.close().catch(() => undefined);
    await rm(this.path, { force: true });
    this.#key.fill(0);
  }
}

function placeOf(part: number): Buffer {
  return Buffer.from(`upload ${part}`);
}
