"""What the organisation shares: devices, instruments, blocks, profiles."""
