"""The window. Widgets ask the layers below and compute no physics."""
