"""How components are written to USD: one file each, registered by the component's name."""
