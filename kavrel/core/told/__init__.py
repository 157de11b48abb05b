"""What somebody has to be told, and when: news of a lab, in plain words."""
