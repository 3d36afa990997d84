"""RGB spaces, adaptation, Lab, colour differences and temperature. Plain functions over arrays; nothing is kept between calls."""
