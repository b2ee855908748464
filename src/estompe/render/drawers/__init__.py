"""How components are drawn: one file each, registered by the component's name."""
