import { fileSystemCompliance } from '../fixtures/compliance';

const MIB = 1024 * 1024;

fileSystemCompliance('ext4 with blocks of 1 KiB', { kind: 'ext4', size: 48 * MIB });
fileSystemCompliance('ext4 with blocks of 4 KiB', { kind: 'ext4', size: 300 * MIB, clusterSize: 4096 });
fileSystemCompliance('ext4 on sectors of 4096', { kind: 'ext4', size: 40 * MIB, sectorSize: 4096 });
fileSystemCompliance('ext3', { kind: 'ext3', size: 40 * MIB, clusterSize: 2048 });
fileSystemCompliance('ext2', { kind: 'ext2', size: 24 * MIB });
