/** What every driver must refuse is refused once, in front of it: abilities, soundness, floor and ceiling. */
import { CoreError, type Finding } from '@/core/errors';
import { chosenFault } from './choices';
import type { FileEntry } from './entry';
import { abilitiesIn, type Abilities } from './kind-facts';
import { notOn } from './retired';
import type { Adoption, ByteRange, ChangeOptions, FileSystemDriver, Transaction, Volume } from './port';

const WORDS: Readonly<Partial<Record<keyof Abilities, string>>> = {
  relabel: 'take another label',
  mark: 'be checked by its system',
  retire: 'take places out of use',
  write: 'take files',
};

/** The driver, with its volumes asked nothing that they must refuse. */
export function guarded(driver: FileSystemDriver): FileSystemDriver {
  return {
    ...driver,
    open: async (device) => {
      const volume = await driver.open(device);
      return new GuardedVolume(volume, abilitiesIn(driver, volume.info.kind));
    },
    make: async (device, options, tx) => {
      const facts = driver.kinds.find((k) => k.kind === options.kind);
      const fault = chosenFault(facts?.choices ?? [], options.chosen ?? {});
      if (fault) throw new CoreError('fs.ability', { fileSystem: facts!.title, ability: `be made so: ${fault}` });
      await driver.make(device, options, tx);
    },
  };
}

class GuardedVolume implements Volume {
  constructor(
    private readonly inner: Volume,
    private readonly abilities: Abilities,
  ) {}

  get info(): Volume['info'] {
    return this.inner.info;
  }

  check(): Promise<readonly Finding[]> {
    return this.inner.check();
  }

  limits(): ReturnType<Volume['limits']> {
    return this.inner.limits();
  }

  /** What is marked bad is nobody's: whoever carries what is in use does not read it. */
  async allocation(): ReturnType<Volume['allocation']> {
    const { outOfUse } = this.inner.info;
    const ranges = await this.inner.allocation();
    return outOfUse ? notOn(ranges, outOfUse) : ranges;
  }

  immovable(): ReturnType<Volume['immovable']> {
    return this.inner.immovable();
  }

  beyond(end: number): ReturnType<Volume['beyond']> {
    return this.inner.beyond(end);
  }

  walk(): ReturnType<Volume['walk']> {
    return this.inner.walk();
  }

  content(entry: FileEntry): ReturnType<Volume['content']> {
    return this.inner.content(entry);
  }

  details(entry: FileEntry): ReturnType<Volume['details']> {
    return this.inner.details(entry);
  }

  async shrink(size: number, tx: Transaction, options: ChangeOptions = {}): Promise<void> {
    this.#assertAble('shrink');
    await this.#assertSound(options);
    const { bytes, reason } = (await this.limits()).floor;
    if (size < bytes) throw new CoreError('fs.below-floor', { wanted: size, floor: bytes, reason });
    if (size < this.info.size) await this.inner.shrink(size, tx);
  }

  async grow(size: number, tx: Transaction, options: ChangeOptions = {}): Promise<void> {
    this.#assertAble('grow');
    await this.#assertSound(options);
    const { bytes, reason } = (await this.limits()).ceiling;
    if (size > bytes) throw new CoreError('fs.above-ceiling', { wanted: size, ceiling: bytes, reason });
    if (size > this.info.size) await this.inner.grow(size, tx);
  }

  async relabel(label: string, tx: Transaction): Promise<void> {
    this.#assertAble('relabel');
    await this.inner.relabel(label, tx);
  }

  async adopt(adoption: Adoption, tx: Transaction, options: ChangeOptions = {}): Promise<void> {
    this.#assertAble('grow');
    this.#assertAble('write');
    const { source } = adoption;
    await this.#assertSound(options);
    if (source instanceof GuardedVolume) await source.#assertSound(options);
    const inner = source instanceof GuardedVolume ? source.inner : source;
    await this.inner.adopt({ ...adoption, source: inner }, tx);
  }

  async retire(places: readonly ByteRange[], tx: Transaction, options: ChangeOptions = {}): Promise<void> {
    this.#assertAble('retire');
    await this.#assertSound(options);
    await this.inner.retire(places, tx);
  }

  settle(tx: Transaction): Promise<void> {
    return this.inner.settle(tx);
  }

  identify(serial: number, tx: Transaction): Promise<void> {
    return this.inner.identify(serial, tx);
  }

  rebase(startLba: number, tx: Transaction): Promise<void> {
    return this.inner.rebase(startLba, tx);
  }

  async markForCheck(tx: Transaction): Promise<void> {
    this.#assertAble('mark');
    await this.inner.markForCheck(tx);
  }

  async writer(tx: Transaction): ReturnType<Volume['writer']> {
    this.#assertAble('write');
    return this.inner.writer(tx);
  }

  #assertAble(ability: keyof Abilities): void {
    if (this.abilities[ability]) return;
    throw new CoreError('fs.ability', { fileSystem: this.info.title, ability: WORDS[ability] ?? ability });
  }

  async #assertSound({ override }: ChangeOptions): Promise<void> {
    const errors = (await this.check()).filter((f) => f.severity === 'error' && !(override && f.overridable));
    if (errors.length === 0) return;
    const { title } = this.info;
    throw new CoreError('fs.unsound', { fileSystem: title, findings: errors.length, first: errors[0]!.message });
  }
}
