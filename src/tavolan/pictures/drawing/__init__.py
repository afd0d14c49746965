"""What is drawn: grounds, ornaments, devices, layers, retouched screens."""
