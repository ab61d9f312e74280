"""Long work of Mend: reels, and chains given to many sounds."""
