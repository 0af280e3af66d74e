"""What happens when things break: parts killed, disks full, locks held, plants gone, files from hell, fingers that slip."""
