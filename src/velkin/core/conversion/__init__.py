"""From one space to another: exact for matrix and curves, through fine tables for everything else."""
