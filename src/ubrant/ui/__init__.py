"""The window: Qt only, and no sums. One package a stage; ``widgets`` holds what stages share."""
