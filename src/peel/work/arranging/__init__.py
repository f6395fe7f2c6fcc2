"""What is found for the sheet: pictures to place, grades that match, the light of shadows."""
