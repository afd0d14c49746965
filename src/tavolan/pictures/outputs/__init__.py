"""What is made from pictures or for them: contact sheets, galleries, icons, packs, captures taken in."""
