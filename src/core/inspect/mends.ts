/** What could be mended on volumes that open: counts, copies and bitmaps that do not agree with the rest. */
import { PatchedDevice, WindowDevice, type BlockDevice } from '@/core/device';
import { mendsIn } from '@/core/fs';
import type { Survey } from './survey';
import { noteOf, surveyOpened, type SurveyedVolume } from './survey-volume';

/** A survey whose volumes with findings say what would mend them, and how they are then. @throws CoreError `device.read-failed` */
export async function surveyMends(device: BlockDevice, survey: Survey): Promise<Survey> {
  const volumes: SurveyedVolume[] = [];
  for (const volume of survey.volumes) volumes.push(await withMends(device, volume));
  return { ...survey, volumes };
}

async function withMends(device: BlockDevice, volume: SurveyedVolume): Promise<SurveyedVolume> {
  const { start, length, info, findings } = volume;
  if (!info || findings.length === 0) return volume;
  const window = new WindowDevice(device, start, length);
  const found = await mendsIn(window);
  if (!found) return volume;
  const mended = await surveyOpened(new PatchedDevice(window, found.mends), found.driver, volume, () => undefined);
  return { ...volume, seen: { volume: mended, mends: found.mends.map(noteOf) } };
}
