"""The design of a picture as data and geometry: looks, colours, perspective, frames, layout. No drawing library."""
